<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import { Refusal } from '@/lib/api'
import { useSignIn } from '@/lib/session'
import TextField from '@/parts/ui/TextField.vue'

/** By name and password; who has a one-time password chooses a password first. */
const name = ref('')
const password = ref('')
const fresh = ref('')
const byWord = ref(false)
const signIn = useSignIn()
const asks = computed(
  () => signIn.error.value instanceof Refusal && signIn.error.value.problem.type === 'urn:oskel:one-time-password',
)
watch(asks, (yes) => yes && (byWord.value = true))
watch([name, password], () => {
  byWord.value = false
  fresh.value = ''
})
const said = computed(() => {
  const text = signIn.error.value?.message
  if (!text || asks.value) return ''
  return text === 'Failed to fetch' ? 'The service does not answer.' : text[0].toUpperCase() + text.slice(1) + '.'
})
const send = () =>
  signIn.mutate({ name: name.value, password: password.value, fresh: byWord.value ? fresh.value : undefined })
</script>

<template>
  <main class="grid min-h-screen place-items-center p-4 md:grid-cols-2">
    <div class="hidden max-w-md justify-self-end pr-16 md:block">
      <p class="text-figure font-bold tracking-tight">Oskel</p>
      <p class="mt-3 text-lead">
        What needs a look, and nothing else: rules over sales measures, swept each period, sent to the desk that can do
        something about it.
      </p>
    </div>
    <form class="card w-full max-w-sm p-6 md:justify-self-start" @submit.prevent="send">
      <h1 class="text-title font-semibold">Sign in</h1>
      <div class="mt-4 space-y-3">
        <TextField
          id="name"
          v-model="name"
          label="Name"
          autocomplete="username"
          autocapitalize="none"
          required
          autofocus
        />
        <TextField
          id="password"
          v-model="password"
          label="Password or one-time password"
          type="password"
          autocomplete="current-password"
          required
        />
        <template v-if="byWord">
          <p role="status">That is your one-time password. Now choose your own password.</p>
          <TextField
            id="fresh"
            v-model="fresh"
            label="Your password, 12 characters or more"
            type="password"
            minlength="12"
            maxlength="200"
            autocomplete="new-password"
            required
            autofocus
          />
        </template>
      </div>
      <p v-if="said" role="alert" class="mt-3 text-red">{{ said }}</p>
      <button class="button-main mt-5 w-full justify-center" :disabled="signIn.isPending.value">Sign in</button>
    </form>
  </main>
</template>
