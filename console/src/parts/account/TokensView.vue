<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { reactive, ref } from 'vue'

import { api, need, type Schemas } from '@/lib/api'
import { dayWords, momentWords } from '@/lib/format'
import ListBox from '@/parts/ui/ListBox.vue'
import QueryState from '@/parts/ui/QueryState.vue'
import TextField from '@/parts/ui/TextField.vue'
import { refresh } from '@/lib/queries'

/** The tokens of whoever is signed in: made, told once, and made void. */
const props = defineProps<{ name: string }>()
const queries = useQueryClient()
const { data, error, isPending, refetch } = useQuery({
  queryKey: ['tokens'],
  queryFn: () => need(api.GET('/api/tokens')),
})
const scopes = [
  { value: 'read', text: 'read' },
  { value: 'review', text: 'read, and work on cases' },
  { value: 'everything', text: 'everything I can do' },
]
const scopeWords = (scope: string) => scopes.find((s) => s.value === scope)?.text ?? scope
const making = ref(false)
const fields = reactive({ title: '', scope: 'read', days: '90', password: '' })
const changed = () => refresh(queries, 'tokens')
const make = useMutation({
  mutationFn: () => {
    const { title, password } = fields
    const body = {
      name: props.name,
      password,
      title,
      scope: fields.scope as Schemas['Scope'],
      days: Number(fields.days),
    }
    return need(api.POST('/api/tokens', { body }))
  },
  onSuccess: async () => {
    Object.assign(fields, { title: '', password: '' })
    making.value = false
    await changed()
  },
})
const revoke = useMutation({
  mutationFn: (id: number) => need(api.DELETE('/api/tokens/{id}', { params: { path: { id } } })),
  onSettled: changed,
})
</script>

<template>
  <section class="space-y-3">
    <div class="flex items-center gap-4">
      <h2 class="font-semibold">Tokens</h2>
      <p class="text-small text-muted">A program with a token can act as you, within its scope.</p>
      <button v-if="!making" class="button ml-auto" @click="making = true">New token</button>
    </div>
    <p v-if="make.data.value" role="status" class="card space-y-1 p-3">
      <span class="block">Copy the token now; it is not shown again:</span>
      <code class="block select-all font-mono">{{ make.data.value.token }}</code>
    </p>
    <form v-if="making" class="card flex flex-wrap items-end gap-3 p-3" @submit.prevent="make.mutate()">
      <TextField v-model="fields.title" class="w-48" label="What it is for" maxlength="60" required />
      <div class="text-small text-muted">
        May
        <ListBox
          v-model="fields.scope"
          class="mt-0.5"
          label="Permissions"
          :shown="scopeWords(fields.scope)"
          :options="scopes"
        />
      </div>
      <TextField v-model="fields.days" class="w-20" label="Valid for (days)" type="number" min="1" max="365" required />
      <TextField
        v-model="fields.password"
        class="w-48"
        label="My password"
        type="password"
        autocomplete="current-password"
        required
      />
      <button class="button-main" :disabled="make.isPending.value">Create token</button>
      <button type="button" class="button" @click="making = false">Cancel</button>
      <p v-if="make.error.value" role="alert" class="w-full text-red">{{ make.error.value.message }}</p>
    </form>
    <p v-if="revoke.error.value" role="alert" class="text-red">{{ revoke.error.value.message }}</p>
    <QueryState v-if="!data" :loading="isPending" :error="error" @retry="refetch()" />
    <p v-else-if="!data.length" class="text-muted">You have no tokens.</p>
    <table v-else class="grid-table cards-narrow">
      <caption class="sr-only">
        My tokens
      </caption>
      <thead>
        <tr>
          <th scope="col">For</th>
          <th scope="col">Permissions</th>
          <th scope="col">Made</th>
          <th scope="col">Ends</th>
          <th scope="col">Last used</th>
          <th scope="col"><span class="sr-only">Revoke</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="k in data" :key="k.id">
          <td>{{ k.title }}</td>
          <td>{{ scopeWords(k.scope) }}</td>
          <td>{{ dayWords(k.made) }}</td>
          <td>{{ dayWords(k.ends) }}</td>
          <td>{{ k.used ? momentWords(k.used) : 'never' }}</td>
          <td>
            <button
              class="button"
              :aria-label="`Revoke the token for ${k.title}`"
              :disabled="revoke.isPending.value"
              @click="revoke.mutate(k.id)"
            >
              Revoke
            </button>
          </td>
        </tr>
      </tbody>
    </table>
  </section>
</template>
