<script setup lang="ts">
import { ref } from 'vue'

import { useSignIn } from '@/lib/session'
import TextField from '@/parts/TextField.vue'

const name = ref('')
const password = ref('')
const signIn = useSignIn()
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
    <form class="card w-full max-w-sm p-6 md:justify-self-start" @submit.prevent="signIn.mutate({ name, password })">
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
          label="Password"
          type="password"
          autocomplete="current-password"
          required
        />
      </div>
      <p v-if="signIn.error.value" role="alert" class="mt-3 text-red">
        {{
          signIn.error.value.message === 'Failed to fetch'
            ? 'The service does not answer.'
            : signIn.error.value.message + '.'
        }}
      </p>
      <button class="button-main mt-5 w-full justify-center" :disabled="signIn.isPending.value">Sign in</button>
    </form>
  </main>
</template>
