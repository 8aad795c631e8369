<script setup lang="ts">
import { useMutation } from '@tanstack/vue-query'
import { computed, ref } from 'vue'

import { api, need } from '@/lib/api'
import { useRulebook } from '@/lib/rulebook'
import { useSession } from '@/lib/session'
import AbsenceView from '@/parts/account/AbsenceView.vue'
import TextField from '@/parts/ui/TextField.vue'
import TokensView from '@/parts/account/TokensView.vue'

/** Who is signed in, their password, absences and tokens. */
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
  <article v-if="person" class="max-w-4xl p-4">
    <h1 class="text-title font-semibold">{{ person.display_name }}</h1>
    <p class="mt-1 text-muted">
      <span class="font-mono">{{ person.name }}</span>, {{ person.role
      }}<template v-if="person.desks.length">, on {{ person.desks.map(desk).join(', ') }}</template>
    </p>
    <form class="mt-6 w-72 space-y-3" @submit.prevent="change.mutate()">
      <h2 class="font-semibold">Change my password</h2>
      <input type="text" class="hidden" autocomplete="username" :value="person.name" aria-hidden="true" tabindex="-1" />
      <TextField label="Current password" v-model="old" type="password" autocomplete="current-password" required />
      <TextField
        label="New password, 12 characters or more"
        v-model="fresh"
        type="password"
        minlength="12"
        maxlength="200"
        autocomplete="new-password"
        required
      />
      <TextField label="New password again" v-model="again" type="password" autocomplete="new-password" required />
      <p v-if="differ" role="status" class="text-small text-amber">The two passwords differ.</p>
      <p v-if="change.error.value" role="alert" class="text-red">{{ change.error.value.message }}</p>
      <p v-else-if="change.isSuccess.value && !old" role="status" class="text-muted">
        Password changed. You are signed out everywhere else.
      </p>
      <button class="button-main" :disabled="change.isPending.value || fresh !== again || !old">Change password</button>
    </form>
    <AbsenceView class="mt-8" :name="person.name" />
    <TokensView class="mt-8" :name="person.name" />
  </article>
</template>
