<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'

import { api, need } from '@/lib/api'
import { useNewestInSight } from '@/lib/query'
import PeriodHeads from '@/parts/exceptions/PeriodHeads.vue'
import QueryState from '@/parts/ui/QueryState.vue'

/** How many are flagged, period by period; and of all how many are new, still there and gone. */
const props = defineProps<{ period?: string; by: 'rule' | 'desk' | 'kind' | 'grade' }>()
const { data, error, isPending, refetch } = useQuery({
  queryKey: computed(() => ['exception-trend', props.period, props.by]),
  queryFn: () => need(api.GET('/api/exceptions/trend', { params: { query: { period: props.period!, by: props.by } } })),
  enabled: computed(() => !!props.period),
  placeholderData: keepPreviousData,
})
const all = computed(() => [
  { name: 'raised', title: 'New', flagged: data.value?.raised ?? [] },
  { name: 'standing', title: 'Standing', flagged: data.value?.standing ?? [] },
  { name: 'cleared', title: 'Gone', flagged: data.value?.cleared ?? [] },
])
const most = (rows: { flagged: number[] }[]) => Math.max(1, ...rows.flatMap((r) => r.flagged))
const parts = computed(() => [
  { title: 'All', rows: all.value, most: most(all.value) },
  {
    title: { rule: 'By rule', desk: 'By desk', kind: 'By kind', grade: 'By grade' }[props.by],
    rows: data.value?.rows ?? [],
    most: most(data.value?.rows ?? []),
  },
])
useNewestInSight('box', () => data.value?.periods.length)
</script>

<template>
  <QueryState v-if="!data" :loading="isPending" :error="error" @retry="refetch()" />
  <div v-else ref="box" tabindex="0" role="region" :aria-label="`Exceptions by period, by ${by}`" class="overflow-auto">
    <table class="grid-table">
      <caption class="sr-only">
        Exceptions in each of the last periods
      </caption>
      <thead class="sticky top-0 z-10 bg-paper">
        <tr>
          <th scope="col" class="sticky left-0 bg-paper">Flagged</th>
          <PeriodHeads :periods="data.periods" />
        </tr>
      </thead>
      <tbody v-for="part in parts" :key="part.title">
        <tr class="bg-sunk">
          <th scope="rowgroup" :colspan="data.periods.length + 1" class="!text-ink">
            <span class="sticky left-2">{{ part.title }}</span>
          </th>
        </tr>
        <tr v-for="r in part.rows" :key="r.name">
          <th
            scope="row"
            class="sticky left-0 max-w-56 min-w-36 bg-paper !border-line !text-base !font-normal !whitespace-normal !text-ink"
          >
            {{ r.title }}
          </th>
          <td v-for="(n, i) in r.flagged" :key="i" class="figures text-right">
            <span :class="n ? '' : 'text-muted'">{{ data.periods[i].swept ? n.toLocaleString('en-GB') : '–' }}</span>
            <span class="-mt-0.5 flex h-[3px] justify-end" aria-hidden="true"
              ><span class="block bg-muted" :style="{ width: `${(100 * n) / part.most}%` }"></span
            ></span>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
</template>
