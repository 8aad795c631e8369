<script setup lang="ts">
import { useMutation } from '@tanstack/vue-query'
import { computed, ref } from 'vue'

import { api, need } from '@/lib/api'
import { useRulebook } from '@/lib/rulebook'
import { useSession } from '@/lib/session'

/** Who is signed in, and their password. */
const { person } = useSession()
const { desk } = useRulebook()
const old = ref('')
const fresh = ref('')
const again = ref('')
const differ = computed(() => !!again.value && again.value !== fresh.value)
const change = useMutation({
  mutationFn: () => need(api.PUT('/api/session/password', { body: { old: old.value, password: fresh.value } })),
  onSuccess: () => {
    old.value = fresh.value = again.value = ''
  },
})
</script>

<template>
  <article v-if="person" class="max-w-xl p-4">
    <h1 class="text-title font-semibold">{{ person.title }}</h1>
    <p class="mt-1 text-muted">
      <span class="font-mono">{{ person.name }}</span>, {{ person.role
      }}<template v-if="person.desks.length">, on {{ person.desks.map(desk).join(', ') }}</template>
    </p>
    <form class="mt-6 space-y-3" @submit.prevent="change.mutate()">
      <h2 class="font-semibold">Change my password</h2>
      <input type="text" class="hidden" autocomplete="username" :value="person.name" aria-hidden="true" tabindex="-1" />
      <label class="block text-small text-muted"
        >Current password<input
          v-model="old"
          type="password"
          class="field mt-0.5 block w-72"
          autocomplete="current-password"
          required
      /></label>
      <label class="block text-small text-muted"
        >New password, 8 characters or more<input
          v-model="fresh"
          type="password"
          minlength="8"
          maxlength="200"
          class="field mt-0.5 block w-72"
          autocomplete="new-password"
          required
      /></label>
      <label class="block text-small text-muted"
        >New password again<input
          v-model="again"
          type="password"
          class="field mt-0.5 block w-72"
          autocomplete="new-password"
          required
      /></label>
      <p v-if="differ" role="status" class="text-small text-amber">The two are not the same yet.</p>
      <p v-if="change.error.value" role="alert" class="text-red">{{ change.error.value.message }}</p>
      <p v-else-if="change.isSuccess.value && !old" role="status" class="text-muted">
        Changed. Everywhere else you are signed out.
      </p>
      <button class="button-main" :disabled="change.isPending.value || fresh !== again || !old">Change password</button>
    </form>
  </article>
</template>
