<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'

import { api, need, type Schemas } from '@/lib/api'
import { useSession } from '@/lib/session'
import PickOne from './PickOne.vue'

/** Views of the list that are kept by name: one's own, and those that are shared. */
const props = defineProps<{ query: Schemas['ViewQuery'] }>()
const emit = defineEmits<{ show: [query: Schemas['ViewQuery']] }>()
const { person } = useSession()
const queries = useQueryClient()
const { data: views } = useQuery({ queryKey: ['views'], queryFn: () => need(api.GET('/api/views')) })

// The view that is shown is the one that says what the page does.
const plain = (q: Schemas['ViewQuery']) =>
  JSON.stringify(
    Object.entries(q)
      .filter(([, v]) => v !== undefined && v !== '' && v !== false)
      .sort(([a], [b]) => a.localeCompare(b)),
  )
const here = computed(() => views.value?.find((v) => plain(v.query) === plain(props.query)))
const chosen = computed({
  get: () => String(here.value?.id ?? ''),
  set: (id) => {
    const view = views.value?.find((v) => String(v.id) === id)
    emit('show', view?.query ?? {})
  },
})
const naming = ref(false)
const name = ref('')
const shared = ref(false)
const keep = useMutation({
  mutationFn: () =>
    need(api.POST('/api/views', { body: { name: name.value, shared: shared.value, query: props.query } })),
  onSuccess: async () => {
    naming.value = false
    name.value = ''
    await queries.invalidateQueries({ queryKey: ['views'] })
  },
})
const forget = useMutation({
  mutationFn: (id: number) => need(api.DELETE('/api/views/{id}', { params: { path: { id } } })),
  onSuccess: () => queries.invalidateQueries({ queryKey: ['views'] }),
})
const mayForget = computed(
  () => here.value && (here.value.owner === person.value?.name || (here.value.shared && person.value?.role === 'lead')),
)
</script>

<template>
  <PickOne
    v-if="views?.length"
    v-model="chosen"
    label="View"
    all="No view"
    :options="views.map((v) => ({ value: String(v.id), text: v.name + (v.shared ? ', shared' : '') }))"
  />
  <button v-if="mayForget" class="button" @click="forget.mutate(here!.id)">Forget this view</button>
  <form v-if="naming" class="flex items-center gap-2" @submit.prevent="keep.mutate()" @keydown.esc="naming = false">
    <input v-model="name" class="field w-40" required maxlength="80" placeholder="Name" aria-label="Name of the view" />
    <label class="text-small"><input v-model="shared" type="checkbox" /> shared</label>
    <button class="button-main" :disabled="keep.isPending.value">Keep</button>
    <span v-if="keep.error.value" role="alert" class="text-small text-red">{{ keep.error.value.message }}</span>
  </form>
  <button v-else-if="!here" class="button" @click="naming = true">Keep this view</button>
  <span v-if="forget.error.value" role="alert" class="text-small text-red">{{ forget.error.value.message }}</span>
</template>
