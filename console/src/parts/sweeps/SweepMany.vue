<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, onBeforeUnmount, ref, watch } from 'vue'

import { api, need } from '@/lib/api'
import { countWords } from '@/lib/format'
import { usePeriod } from '@/lib/period'
import { refresh } from '@/lib/queries'

/** Sweeps several periods, the oldest first: history, or all that is out of date. */
const { each } = usePeriod()
const queries = useQueryClient()
const { data } = useQuery({
  queryKey: computed(() => ['periods', each.value, 'long']),
  queryFn: () => need(api.GET('/api/periods', { params: { query: { each: each.value, count: 120 } } })),
})
const choices = computed(() => (data.value ?? []).filter((p) => p.state !== 'no lines' && !p.running))
const from = ref('')
const to = ref('')
const cases = ref(false)
const first = computed(() => from.value || choices.value.find((p) => p.state !== 'swept')?.period || '')
const last = computed(() => to.value || choices.value.at(-1)?.period || '')
const chosen = computed(() => {
  const at = (p: string) => choices.value.findIndex((x) => x.period === p)
  return choices.value.slice(Math.max(0, at(first.value)), at(last.value) + 1).filter((p) => !p.closed)
})
watch(each, () => (from.value = to.value = ''))
const done = ref(0)
const stopped = ref(false)
const sweep = useMutation({
  mutationFn: async () => {
    done.value = 0
    stopped.value = false
    for (const p of chosen.value.map((p) => p.period)) {
      if (stopped.value) break
      await need(api.POST('/api/sweeps', { body: { period: p, open_cases: cases.value, to_date: false } }))
      done.value++
    }
  },
  onSettled: () => refresh(queries, 'all'),
})
// Whoever leaves the page has stopped it.
onBeforeUnmount(() => (stopped.value = true))
</script>

<template>
  <section v-if="choices.length > 1">
    <h2 class="text-lead font-semibold">Several periods at once</h2>
    <form class="mt-1 flex flex-wrap items-end gap-2" @submit.prevent="sweep.mutate()">
      <label class="text-small"
        >From
        <select
          class="field mt-0.5 block"
          :value="first"
          @change="(e) => (from = (e.target as HTMLSelectElement).value)"
        >
          <option v-for="p in choices" :key="p.period" :value="p.period">{{ p.label }}</option>
        </select></label
      >
      <label class="text-small"
        >to
        <select class="field mt-0.5 block" :value="last" @change="(e) => (to = (e.target as HTMLSelectElement).value)">
          <option v-for="p in choices" :key="p.period" :value="p.period">{{ p.label }}</option>
        </select></label
      >
      <label class="pb-1.5 text-small"
        ><input v-model="cases" type="checkbox" class="mr-1.5" />open cases for the flags</label
      >
      <button v-if="!sweep.isPending.value" class="button" :disabled="!chosen.length">
        Sweep {{ countWords(chosen.length, 'period') }}
      </button>
      <template v-else>
        <span role="status" class="pb-1.5 text-small">Swept {{ done }} of {{ chosen.length }}</span>
        <button type="button" class="button" :disabled="stopped" @click="stopped = true">Stop after this one</button>
      </template>
    </form>
    <p v-if="sweep.isSuccess.value && done" role="status" class="mt-1 text-small">
      Swept {{ countWords(done, 'period') }}{{ cases ? '' : ', without cases' }}.
    </p>
    <p v-if="sweep.error.value" role="alert" class="mt-1 text-small text-red">
      {{ done ? `After ${countWords(done, 'period')}: ` : '' }}{{ sweep.error.value.message }}
    </p>
  </section>
</template>
