<script setup lang="ts">
import { useMutation, useQueryClient } from '@tanstack/vue-query'
import { reactive, ref, watch } from 'vue'

import { api, need, type Schemas } from '@/lib/api'
import { momentWords } from '@/lib/format'
import { useRulebook } from '@/lib/rulebook'
import { useSession } from '@/lib/session'
import TextField from '@/parts/ui/TextField.vue'
import { refresh } from '@/lib/queries'

/** One account: added, changed, given a one-time password, or closed. */
const props = defineProps<{ person?: Schemas['Person'] }>()
const emit = defineEmits<{ done: [name: string] }>()
const queries = useQueryClient()
const { book } = useRulebook()
const { person: self } = useSession()
const roles: { name: Schemas['Role']; may: string }[] = [
  { name: 'analyst', may: 'writes rules, loads data, sweeps' },
  { name: 'reviewer', may: 'works on the cases of their desks' },
  { name: 'lead', may: 'all of that, and manages accounts' },
]
const fields = reactive({
  name: '',
  display_name: '',
  role: 'reviewer' as Schemas['Role'],
  desks: [] as string[],
})
const closing = ref(false)
// Told once, of the account that was just added or helped.
const told = defineModel<{ name: string; password: string; ends: string } | undefined>('told')
const changed = () => refresh(queries, 'people')
const path = () => ({ params: { path: { name: props.person!.name } } })
const save = useMutation({
  mutationFn: async () => {
    const { name, display_name, role, desks } = fields
    if (props.person) return need(api.PUT('/api/people/{name}', { ...path(), body: { display_name, role, desks } }))
    const added = await need(api.POST('/api/people', { body: { name, display_name, role, desks } }))
    told.value = { name, password: added.one_time_password, ends: added.ends }
    return added.person
  },
  onSuccess: async (p) => {
    await changed()
    emit('done', p.name)
  },
})
const reset = useMutation({
  mutationFn: () => need(api.POST('/api/people/{name}/one-time-password', path())),
  onSuccess: (w) => {
    told.value = { name: props.person!.name, password: w.one_time_password, ends: w.ends }
  },
})
const close = useMutation({
  mutationFn: () => need(api.DELETE('/api/people/{name}', path())),
  onSuccess: async () => {
    await changed()
    emit('done', '')
  },
})
// What is typed stays when the list is read anew; another account begins anew.
watch(
  () => props.person?.name,
  () => {
    const p = props.person
    for (const done of [save, reset, close]) done.reset()
    Object.assign(fields, { name: p?.name ?? '', display_name: p?.display_name ?? '', role: p?.role ?? 'reviewer' })
    fields.desks = [...(p?.desks ?? [])]
    closing.value = false
  },
  { immediate: true },
)
</script>

<template>
  <div class="space-y-6 p-4">
    <form class="space-y-3" @submit.prevent="save.mutate()">
      <h2 class="text-lead font-semibold">{{ person?.display_name ?? 'New account' }}</h2>
      <TextField
        v-if="!person"
        label="Name to sign in with"
        v-model="fields.name"
        class="font-mono"
        autocomplete="off"
        autocapitalize="none"
        pattern="[a-z][a-z0-9.\-]{0,39}"
        title="Lower-case letters, digits, dots and hyphens, a letter first"
        required
      />
      <TextField label="Display name" v-model="fields.display_name" maxlength="100" required />
      <fieldset>
        <legend class="text-small text-muted">Role</legend>
        <label v-for="r in roles" :key="r.name" class="block">
          <input v-model="fields.role" type="radio" name="role" class="mr-1.5" :value="r.name" />{{ r.name }}
          <span class="text-small text-muted">{{ r.may }}</span>
        </label>
      </fieldset>
      <fieldset v-if="book?.desks.length">
        <legend class="text-small text-muted">Desks</legend>
        <label v-for="d in book.desks" :key="d.name" class="block">
          <input v-model="fields.desks" type="checkbox" class="mr-1.5" :value="d.name" />{{ d.title }}
        </label>
      </fieldset>
      <p v-if="save.error.value" role="alert" class="text-red">{{ save.error.value.message }}</p>
      <p v-else-if="save.isSuccess.value && person" role="status" class="text-muted">Saved.</p>
      <button class="button-main" :disabled="save.isPending.value">{{ person ? 'Save' : 'Add account' }}</button>
      <p v-if="!person" class="text-small text-muted">You will see a one-time password next.</p>
    </form>
    <div v-if="told && told.name === person?.name" role="status" class="card space-y-1 p-3">
      <p>{{ person.display_name }} signs in with this one-time password until {{ momentWords(told.ends) }}:</p>
      <code class="block select-all font-mono text-lead">{{ told.password }}</code>
      <p class="text-small text-muted">Copy it now; it is not shown again. They choose a password with it.</p>
    </div>
    <div v-if="person && person.name !== self?.name" class="space-y-2 border-t border-line pt-4">
      <h3 class="font-semibold">Forgotten password</h3>
      <p class="text-small text-muted">They are signed out everywhere and sign in with a one-time password.</p>
      <p v-if="reset.error.value" role="alert" class="text-red">{{ reset.error.value.message }}</p>
      <button class="button" :disabled="reset.isPending.value" @click="reset.mutate()">Reset password</button>
    </div>
    <div v-if="person && person.name !== self?.name" class="space-y-2 border-t border-line pt-4">
      <h3 class="font-semibold">Close the account</h3>
      <p class="text-small text-muted">
        Their sessions and tokens end at once, and cases they took are open again. Their work stays under their name.
      </p>
      <p v-if="close.error.value" role="alert" class="text-red">{{ close.error.value.message }}</p>
      <div v-if="closing" class="flex gap-2">
        <button class="button-main" :disabled="close.isPending.value" @click="close.mutate()">
          Close {{ person.name }}
        </button>
        <button class="button" @click="closing = false">Cancel</button>
      </div>
      <button v-else class="button" @click="closing = true">Close …</button>
    </div>
  </div>
</template>
