<script setup lang="ts">
import { keepPreviousData, useInfiniteQuery, useQuery } from '@tanstack/vue-query'
import { computed, defineAsyncComponent } from 'vue'

import { api, need } from '@/lib/api'
import { countWords } from '@/lib/format'
import QueryState from '@/parts/ui/QueryState.vue'

const HistoryChart = defineAsyncComponent(() => import('@/parts/exceptions/HistoryChart.vue'))

/** One figure: what it is made of, over time, and the lines behind it. */
const props = defineProps<{ measure: string; by: string; subject: string; period: string; where?: string }>()
defineEmits<{ open: [measure: string] }>()

const { data, error, isPending, refetch, hasNextPage, fetchNextPage } = useInfiniteQuery({
  queryKey: computed(() => ['parts', props.measure, props.by, props.subject, props.period, props.where]),
  queryFn: ({ pageParam }) =>
    need(
      api.GET('/api/breakdown', {
        params: {
          query: {
            measure: props.measure,
            by: props.by,
            key: props.subject,
            period: props.period,
            where: props.where,
            limit: 50,
            cursor: pageParam || undefined,
          },
        },
      }),
    ),
  initialPageParam: '',
  getNextPageParam: (page) => page.next,
  placeholderData: keepPreviousData,
})
const figure = computed(() => data.value?.pages[0])
const lines = computed(() => data.value?.pages.flatMap((p) => p.lines) ?? [])

const over = useQuery({
  queryKey: computed(() => ['figure over time', props.measure, props.by, props.subject, props.period, props.where]),
  queryFn: async () => {
    const t = await need(
      api.GET('/api/table', {
        params: {
          query: {
            measures: props.measure,
            by: props.by,
            period: props.period,
            periods: 13,
            where: props.where,
            text: props.by === 'whole' ? undefined : props.subject,
            limit: 1000,
          },
        },
      }),
    )
    const row = t.rows.find((r) => r.key === props.subject)
    return {
      each: 'month',
      axis: t.columns[0]?.title ?? '',
      unit: (t.columns[0]?.unit ?? 'count') as 'money' | 'count' | 'percent' | 'days',
      cuts: [],
      points: t.columns.map((c, i) => {
        const cell = row?.cells[i]
        return {
          period: c.period,
          label: c.label,
          held: cell?.value,
          grade: '',
          outcome: cell?.why ?? '',
          text: cell?.text || cell?.why || '',
        }
      }),
    }
  },
})
</script>

<template>
  <QueryState v-if="!figure" :loading="isPending" :error="error" @retry="refetch()" />
  <article v-else class="space-y-4 p-4">
    <header>
      <p class="text-small text-muted">
        <RouterLink class="underline" :to="{ path: `/measures/${figure.measure}`, query: { period } }">{{
          figure.title
        }}</RouterLink>,
        {{ figure.label }}
      </p>
      <h2 class="text-title font-semibold">{{ figure.name }}</h2>
      <p class="figures mt-1 text-figure font-semibold">{{ figure.cell.text || '–' }}</p>
      <p v-if="figure.cell.why" class="text-muted">Missing: {{ figure.cell.why }}</p>
      <p class="mt-1 font-mono text-small text-muted">{{ figure.words }}</p>
    </header>
    <HistoryChart
      v-if="over.data.value?.points.some((p) => p.held !== undefined)"
      :history="over.data.value"
      :name="figure.name"
    />
    <section v-if="figure.parts.length">
      <h3 class="text-small font-semibold text-muted">Made of</h3>
      <ul class="figures mt-1">
        <li v-for="p in figure.parts" :key="p.measure" class="border-b border-line">
          <button
            class="flex w-full justify-between gap-4 py-1 text-left hover:bg-tide-soft"
            @click="$emit('open', p.measure)"
          >
            <span class="text-tide">{{ p.title }}</span><span>{{ p.cell.text || p.cell.why }}</span>
          </button>
        </li>
      </ul>
    </section>
    <section v-if="figure.columns.length">
      <h3 class="text-small font-semibold text-muted">
        {{ countWords(figure.total, 'line') }} behind it<template v-if="figure.sum"
          >, adding up to {{ Number(figure.sum).toLocaleString('en-GB') }}</template
        >
      </h3>
      <div class="relative mt-1 overflow-x-auto" tabindex="0" role="region" aria-label="Lines">
        <table class="figures text-small">
          <thead>
            <tr>
              <th
                v-for="c in figure.columns"
                :key="c"
                scope="col"
                class="border-b border-line py-1 pr-3 text-left text-muted"
              >
                {{ c }}
              </th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(l, i) in lines" :key="i">
              <td
                v-for="(v, k) in l"
                :key="k"
                class="border-b border-line py-0.5 pr-3 whitespace-nowrap"
                :class="/^-?[\d.]+$/.test(v) ? 'text-right' : ''"
              >
                {{ v }}
              </td>
            </tr>
          </tbody>
        </table>
      </div>
      <button v-if="hasNextPage" class="button mt-2" @click="fetchNextPage()">Show 50 more</button>
    </section>
  </article>
</template>
