<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, ref } from 'vue'

import { api, need } from '@/lib/api'
import { dayWords } from '@/lib/format'
import { refresh } from '@/lib/queries'
import { usePeople } from '@/lib/people'
import DateField from '@/parts/ui/DateField.vue'

/** When somebody is away and who gets their new cases meanwhile: one's own, or as a lead anybody's. */
const props = defineProps<{ name: string; title?: string }>()
const queries = useQueryClient()
const absences = useQuery({ queryKey: ['absences'], queryFn: () => need(api.GET('/api/absences')) })
const { query: people } = usePeople()
const theirs = computed(() => absences.data.value?.filter((a) => a.person === props.name) ?? [])
const others = computed(() => people.data.value?.filter((p) => !p.closed && p.name !== props.name) ?? [])
const titleOf = (name: string) => people.data.value?.find((p) => p.name === name)?.display_name ?? name
const span = (a: { first: string; last: string }) =>
  a.first === a.last ? dayWords(a.first) : `${dayWords(a.first)} to ${dayWords(a.last)}`

const noting = ref(false)
const fields = reactive<{ first?: string; last?: string; standIn: string }>({ standIn: '' })
const changed = () => refresh(queries, 'absences')
const note = useMutation({
  mutationFn: () =>
    need(
      api.POST('/api/absences', {
        body: {
          person: props.name,
          first: fields.first!,
          last: fields.last ?? fields.first!,
          stand_in: fields.standIn || undefined,
        },
      }),
    ),
  onSuccess: async () => {
    Object.assign(fields, { first: undefined, last: undefined, standIn: '' })
    noting.value = false
    await changed()
  },
})
const drop = useMutation({
  mutationFn: (id: number) => need(api.DELETE('/api/absences/{id}', { params: { path: { id } } })),
  onSettled: changed,
})
</script>

<template>
  <section class="space-y-2">
    <div class="flex items-center gap-4">
      <h2 class="font-semibold">Away</h2>
      <button v-if="!noting" class="button ml-auto" @click="noting = true">Note an absence</button>
    </div>
    <p v-if="absences.data.value && !theirs.length && !noting" class="text-muted">
      {{ title ? `${title} is` : 'You are' }} not noted as away.
    </p>
    <ul v-if="theirs.length" class="border-t border-line">
      <li v-for="a in theirs" :key="a.id" class="flex flex-wrap items-center gap-x-3 border-b border-line py-1.5">
        {{ span(a) }}
        <span class="text-small text-muted">{{ a.stand_in ? `${titleOf(a.stand_in)} stands in` : 'no stand-in' }}</span>
        <button
          class="button ml-auto"
          :aria-label="`Take the absence of ${span(a)} away`"
          :disabled="drop.isPending.value"
          @click="drop.mutate(a.id)"
        >
          Remove
        </button>
      </li>
    </ul>
    <form v-if="noting" class="card flex flex-wrap items-end gap-3 p-3" @submit.prevent="note.mutate()">
      <span class="flex flex-col gap-0.5 text-small text-muted"
        >First day<DateField v-model="fields.first" label="First day"
      /></span>
      <span class="flex flex-col gap-0.5 text-small text-muted"
        >Last day<DateField v-model="fields.last" label="Last day"
      /></span>
      <label class="flex flex-col gap-0.5 text-small text-muted"
        >Who stands in
        <select v-model="fields.standIn" class="field">
          <option value="">Choose a person …</option>
          <option v-for="p in others" :key="p.name" :value="p.name">{{ p.display_name }}</option>
        </select>
      </label>
      <button class="button-main" :disabled="!fields.first || note.isPending.value">Note it</button>
      <button type="button" class="button" @click="noting = false">Cancel</button>
      <p v-if="note.error.value" role="alert" class="w-full text-red">{{ note.error.value.message }}</p>
    </form>
    <p v-if="drop.error.value" role="alert" class="text-red">{{ drop.error.value.message }}</p>
  </section>
</template>
