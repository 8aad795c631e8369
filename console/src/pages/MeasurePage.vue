<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, defineAsyncComponent } from 'vue'
import { useRoute } from 'vue-router'

import { api, need, type Schemas } from '@/lib/api'
import { usePeriod } from '@/lib/period'
import { useQueryWord } from '@/lib/query'
import { useRulebook } from '@/lib/rulebook'
import RankDrawing from '@/parts/exceptions/RankDrawing.vue'
import SelectOne from '@/parts/ui/SelectOne.vue'
import QueryState from '@/parts/ui/QueryState.vue'

const HistoryChart = defineAsyncComponent(() => import('@/parts/exceptions/HistoryChart.vue'))

const route = useRoute()
const name = computed(() => String(route.params.name))
const { period, label } = usePeriod()
const { book } = useRulebook()
const by = useQueryWord('by')

const measures = useQuery({ queryKey: ['measures'], queryFn: () => need(api.GET('/api/measures')) })
const measure = computed(() => measures.data.value?.find((m) => m.name === name.value))
const kinds = computed(() => (book.value?.kinds ?? []).filter((k) => measure.value?.kinds.includes(k.name)))
const kind = computed(() => by.value || kinds.value[0]?.name)
const unit = computed(() => (measure.value?.unit ?? 'count') as Schemas['Ranking']['unit'])

const over = useQuery({
  queryKey: computed(() => ['measure over time', name.value, period.value]),
  queryFn: () =>
    need(api.GET('/api/table', { params: { query: { measures: name.value, period: period.value!, periods: 13 } } })),
  enabled: computed(() => !!period.value && !!measure.value),
  placeholderData: keepPreviousData,
})
const history = computed<Schemas['History']>(() => ({
  axis: measure.value?.title ?? '',
  unit: unit.value,
  each: 'month',
  cuts: [],
  points: (over.data.value?.columns ?? []).map((c, i) => {
    const cell = over.data.value!.whole[i]
    return {
      period: c.period,
      label: c.label,
      held: cell.value,
      grade: '',
      outcome: cell.why ?? '',
      text: cell.text || cell.why || '',
    }
  }),
}))

const most = 1000
const spread = useQuery({
  queryKey: computed(() => ['measure spread', name.value, kind.value, period.value]),
  queryFn: () =>
    need(
      api.GET('/api/table', {
        params: { query: { measures: name.value, by: kind.value, period: period.value!, sort: 1, limit: most } },
      }),
    ),
  enabled: computed(() => !!period.value && !!kind.value && !!measure.value),
  placeholderData: keepPreviousData,
})
const lineUp = computed<Schemas['Ranking'] | undefined>(() => {
  const t = spread.data.value
  if (!t) return undefined
  const points = t.rows.flatMap((r) =>
    r.cells[0].value === undefined ? [] : [{ key: r.key, name: r.name, held: r.cells[0].value, grade: '' }],
  )
  return { points, cuts: [], judged: t.total, unit: unit.value, axis: measure.value?.title ?? '' }
})
const link = (use: string) => {
  const [what, which] = use.split(' ')
  return what === 'rule'
    ? { path: '/rules', query: { period: period.value, rule: which } }
    : { path: `/measures/${which}`, query: { period: period.value } }
}
</script>

<template>
  <h1 v-if="!measure" class="sr-only">Measure {{ name }}</h1>
  <QueryState
    v-if="!measure"
    :loading="measures.isPending.value"
    :error="measures.error.value"
    :empty="`The rulebook has no measure ${name}.`"
    @retry="measures.refetch()"
  />
  <article v-else class="p-4">
    <h1 class="text-title font-semibold">{{ measure.title }}</h1>
    <p class="mt-1">
      <span class="font-mono">{{ measure.words }}</span>
    </p>
    <p class="mt-1 text-small text-muted">
      {{ measure.name }}, in {{ measure.unit }}; {{ measure.good === 'down' ? 'less is better' : 'more is better' }}
    </p>
    <div class="mt-4 grid gap-x-8 gap-y-5 lg:grid-cols-[minmax(0,1fr)_320px]">
      <div class="space-y-5">
        <HistoryChart v-if="history.points.some((p) => p.held !== undefined)" :history="history" name="all together" />
        <section>
          <div class="mb-1 flex items-center gap-2">
            <h2 class="text-small font-semibold text-muted">In {{ label }}, in order</h2>
            <SelectOne
              v-if="kinds.length > 1"
              v-model="by"
              label="Kind"
              :all="kinds[0].plural"
              :options="kinds.slice(1).map((k) => ({ value: k.name, text: k.plural }))"
            />
          </div>
          <RankDrawing :line-up="lineUp" :error="spread.error.value" :pending="spread.isPending.value" />
          <p v-if="lineUp && lineUp.judged > most" class="text-small text-muted">
            The {{ most.toLocaleString('en-GB') }} lowest of {{ lineUp.judged.toLocaleString('en-GB') }} are drawn.
          </p>
        </section>
      </div>
      <div class="space-y-5">
        <section>
          <h2 class="text-small font-semibold text-muted">Used by</h2>
          <ul v-if="measure.used_by.length" class="mt-1">
            <li v-for="u in measure.used_by" :key="u" class="border-b border-line py-1">
              <RouterLink :to="link(u)">{{ u }}</RouterLink>
            </li>
          </ul>
          <p v-else class="mt-1 text-muted">Nothing uses it.</p>
        </section>
        <section>
          <h2 class="text-small font-semibold text-muted">View</h2>
          <p class="mt-1">
            <RouterLink :to="{ path: '/figures', query: { period, measures: measure.name, by: kind } }">
              By {{ kinds.find((k) => k.name === kind)?.title.toLowerCase() }}
            </RouterLink>
          </p>
        </section>
      </div>
    </div>
  </article>
</template>
