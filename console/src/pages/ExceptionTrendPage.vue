<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'

import { api, need } from '@/lib/api'
import { usePeriod } from '@/lib/period'
import { useQueryWord } from '@/lib/query'
import ExceptionTabs from '@/parts/exceptions/ExceptionTabs.vue'
import PeriodHeads from '@/parts/exceptions/PeriodHeads.vue'
import SelectOne from '@/parts/ui/SelectOne.vue'
import QueryState from '@/parts/ui/QueryState.vue'

/** How many are flagged, period by period; and of all how many are new, still there and gone. */
const { period, label } = usePeriod()
const by = useQueryWord('by')
const choice = computed(() => (by.value || 'rule') as 'rule' | 'desk' | 'kind' | 'grade')
const { data, error, isPending, refetch } = useQuery({
  queryKey: computed(() => ['exception-trend', period.value, choice.value]),
  queryFn: () =>
    need(api.GET('/api/exceptions/trend', { params: { query: { period: period.value!, by: choice.value } } })),
  enabled: computed(() => !!period.value),
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
    title: { rule: 'By rule', desk: 'By desk', kind: 'By kind', grade: 'By grade' }[choice.value],
    rows: data.value?.rows ?? [],
    most: most(data.value?.rows ?? []),
  },
])
</script>

<template>
  <section class="min-w-0 flex-1">
    <ExceptionTabs />
    <h1 class="sr-only">Exceptions by period, up to {{ label }}</h1>
    <div class="flex flex-wrap items-center gap-2 px-4 pt-3 pb-2">
      <SelectOne
        v-model="by"
        label="By"
        all="By rule"
        :options="[
          { value: 'desk', text: 'By desk' },
          { value: 'kind', text: 'By kind' },
          { value: 'grade', text: 'By grade' },
        ]"
      />
    </div>
    <QueryState v-if="!data" :loading="isPending" :error="error" @retry="refetch()" />
    <div
      v-else
      tabindex="0"
      role="region"
      aria-label="Exceptions by period"
      class="max-h-[max(18rem,calc(100vh-6rem))] overflow-auto px-2"
    >
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
            <th scope="rowgroup" :colspan="data.periods.length + 1" class="!text-ink">{{ part.title }}</th>
          </tr>
          <tr v-for="r in part.rows" :key="r.name">
            <th scope="row" class="sticky left-0 bg-paper !border-line !text-base !font-normal !text-ink">
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
  </section>
</template>
