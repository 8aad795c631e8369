<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'

import { api, need } from '@/lib/api'
import { useChoices } from '@/lib/choices'
import { numberWords, stakeWords } from '@/lib/format'
import { useQueryWord } from '@/lib/query'
import { onPaper, reportFile } from '@/lib/report'
import DateField from '@/parts/ui/DateField.vue'
import DeskTabs from '@/parts/cases/DeskTabs.vue'
import PickOne from '@/parts/ui/PickOne.vue'
import ExportMenu from '@/parts/ui/ExportMenu.vue'
import QueryState from '@/parts/ui/QueryState.vue'

/** What came of the cases that were settled. */
type By = 'rule' | 'desk' | 'person' | 'reason' | 'period' | 'revision' | 'grade'
const byWord = useQueryWord('by')
const rule = useQueryWord('rule')
const deskName = useQueryWord('desk')
const from = useQueryWord('from')
const to = useQueryWord('to')
const by = computed(() => (byWord.value || 'rule') as By)
const asked = computed(() => ({
  by: by.value,
  rule: rule.value || undefined,
  desk: deskName.value || undefined,
  from: from.value || undefined,
  to: to.value || undefined,
}))
const choices = useChoices()
const { data, error, isPending, refetch } = useQuery({
  queryKey: computed(() => ['cases', 'findings', asked.value]),
  queryFn: () =>
    need(
      api.GET('/api/reports/outcomes', {
        params: { query: asked.value },
      }),
    ),
  placeholderData: keepPreviousData,
})
function hours(h?: number) {
  if (h === undefined) return ''
  if (h >= 48) return `${Math.round(h / 24)} days`
  return h < 1 ? `${Math.round(h * 60)} min` : `${h.toFixed(1)} h`
}
const money = (s: string) => (Number(s) ? numberWords(Number(s), 'money') : '')
</script>

<template>
  <section>
    <DeskTabs />
    <div class="p-4">
      <div class="flex flex-wrap items-center gap-3">
        <h1 class="text-title font-semibold">Outcomes</h1>
        <PickOne
          v-model="byWord"
          label="By"
          all="By rule"
          :options="[
            { value: 'desk', text: 'By desk' },
            { value: 'person', text: 'By person' },
            { value: 'reason', text: 'By reason' },
            { value: 'period', text: 'By period' },
            { value: 'revision', text: 'By revision' },
            { value: 'grade', text: 'By grade' },
          ]"
        />
        <PickOne v-model="rule" label="Rule" all="All rules" :options="choices.rules.value" />
        <PickOne v-model="deskName" label="Desk" all="All desks" :options="choices.desks.value" />
        <span class="flex items-center gap-2 text-small text-muted"
          >settled from <DateField v-model="from" label="Settled from" hint="default: a year ago" /> to
          <DateField v-model="to" label="Settled to" hint="default: today"
        /></span>
        <ExportMenu :href="reportFile('findings', asked)" @print="onPaper" />
      </div>
      <QueryState v-if="!data" :loading="isPending" :error="error" @retry="refetch()" />
      <QueryState v-else-if="!data.length" empty="No cases were settled in these days." />
      <table v-else class="grid-table cards-narrow mt-2">
        <caption class="sr-only">
          Settled cases by
          {{
            by
          }}
        </caption>
        <thead>
          <tr>
            <th scope="col" class="capitalize">{{ by }}</th>
            <th scope="col" class="text-right">Settled</th>
            <th scope="col" class="text-right">Confirmed</th>
            <th scope="col" class="text-right">Explained</th>
            <th scope="col" class="text-right">Data fault</th>
            <th scope="col" class="text-right">Rule fault</th>
            <th scope="col" class="text-right">Cleared</th>
            <th scope="col" class="text-right">Precision</th>
            <th scope="col" class="text-right">To first look</th>
            <th scope="col" class="text-right">To settle</th>
            <th scope="col" class="text-right">Confirmed, at stake</th>
            <th scope="col" class="text-right">Recovered</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="r in data" :key="r.name">
            <th scope="row" class="!text-left !font-normal !text-ink">
              <RouterLink v-if="by === 'rule' && r.name" :to="{ path: '/rules', query: { rule: r.name } }">{{
                r.title
              }}</RouterLink>
              <template v-else>{{ r.title }}</template>
            </th>
            <td class="figures text-right" :class="r.settled ? '' : 'text-muted'">{{ r.settled }}</td>
            <td class="figures text-right" :class="r.confirmed ? '' : 'text-muted'">{{ r.confirmed }}</td>
            <td class="figures text-right" :class="r.explained ? '' : 'text-muted'">{{ r.explained }}</td>
            <td class="figures text-right" :class="r.data_fault ? '' : 'text-muted'">{{ r.data_fault }}</td>
            <td class="figures text-right" :class="r.rule_fault ? '' : 'text-muted'">{{ r.rule_fault }}</td>
            <td class="figures text-right" :class="r.cleared ? '' : 'text-muted'">{{ r.cleared }}</td>
            <td class="figures text-right">
              {{ r.precision === undefined ? '' : `${Math.round(r.precision * 100)}%` }}
            </td>
            <td class="figures text-right">{{ hours(r.hours_to_look) }}</td>
            <td class="figures text-right">{{ hours(r.hours_to_settle) }}</td>
            <td class="figures text-right">{{ stakeWords(r.stakes) }}</td>
            <td class="figures text-right">{{ money(r.recovered) }}</td>
          </tr>
        </tbody>
      </table>
      <p class="mt-2 text-small text-muted">
        Precision is the share of confirmed among all that were settled otherwise than as cleared. Times are medians,
        from when a case was opened.
        <template v-if="by === 'rule'">A case flagged by several rules counts for each.</template> One whose flags have
        different findings counts under each of them.
      </p>
    </div>
  </section>
</template>
