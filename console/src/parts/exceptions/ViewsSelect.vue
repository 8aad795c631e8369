<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'

import { api, need, type Schemas } from '@/lib/api'
import { useSession } from '@/lib/session'
import SelectOne from '@/parts/ui/SelectOne.vue'
import { refresh } from '@/lib/queries'

/** Views of a list that are kept by name: one's own, and those that are shared. */
type Query = Schemas['ViewQuery'] & Schemas['CaseQuery']
const props = withDefaults(
  defineProps<{ of?: 'exceptions' | 'cases'; query: Schemas['ViewQuery'] | Schemas['CaseQuery'] }>(),
  {
    of: 'exceptions',
  },
)
const emit = defineEmits<{ show: [query: Query] }>()
const queryOf = (v: Schemas['View']) => (props.of === 'cases' ? v.cases : v.query) as Query
const { person, may } = useSession()
const queries = useQueryClient()
const { data: views } = useQuery({
  queryKey: ['views', props.of],
  queryFn: () => need(api.GET('/api/views', { params: { query: { of: props.of } } })),
})

// The view that is shown is the one that says what the page does.
const plain = (q: object) =>
  JSON.stringify(
    Object.entries(q)
      .filter(([, v]) => v !== undefined && v !== '' && v !== false)
      .sort(([a], [b]) => a.localeCompare(b)),
  )
const here = computed(() => views.value?.find((v) => plain(queryOf(v)) === plain(props.query)))
const chosen = computed({
  get: () => String(here.value?.id ?? ''),
  set: (id) => {
    const view = views.value?.find((v) => String(v.id) === id)
    emit('show', view ? queryOf(view) : {})
  },
})
const naming = ref(false)
const name = ref('')
const shared = ref(false)
const keep = useMutation({
  mutationFn: () =>
    need(
      api.POST('/api/views', {
        body: {
          name: name.value,
          shared: shared.value,
          of: props.of,
          ...(props.of === 'cases' ? { cases: props.query as Query } : { query: props.query as Query }),
        },
      }),
    ),
  onSuccess: async () => {
    naming.value = false
    name.value = ''
    await refresh(queries, 'views')
  },
})
const forget = useMutation({
  mutationFn: (id: number) => need(api.DELETE('/api/views/{id}', { params: { path: { id } } })),
  onSuccess: () => refresh(queries, 'views'),
})
const mayForget = computed(
  () => here.value && (here.value.owner === person.value?.name || (here.value.shared && may('changeOthers'))),
)
</script>

<template>
  <SelectOne
    v-if="views?.length"
    v-model="chosen"
    label="View"
    all="No view"
    :options="views.map((v) => ({ value: String(v.id), text: v.name + (v.shared ? ', shared' : '') }))"
  />
  <button v-if="mayForget" class="button" @click="forget.mutate(here!.id)">Delete view</button>
  <form v-if="naming" class="flex items-center gap-2" @submit.prevent="keep.mutate()" @keydown.esc="naming = false">
    <input v-model="name" class="field w-40" required maxlength="80" placeholder="Name" aria-label="Name of the view" />
    <label class="text-small"><input v-model="shared" type="checkbox" /> shared</label>
    <button class="button-main" :disabled="keep.isPending.value">Keep</button>
    <span v-if="keep.error.value" role="alert" class="text-small text-red">{{ keep.error.value.message }}</span>
  </form>
  <button v-else-if="!here" class="button" @click="naming = true">Save view</button>
  <span v-if="forget.error.value" role="alert" class="text-small text-red">{{ forget.error.value.message }}</span>
</template>
