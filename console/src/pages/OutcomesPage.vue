<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'

import { api, need, type Schemas } from '@/lib/api'
import { useChoices } from '@/lib/choices'
import { numberWords, stakeWords } from '@/lib/format'
import { useQueryWord } from '@/lib/query'
import { fileAt, onPaper } from '@/lib/files'
import DateField from '@/parts/ui/DateField.vue'
import DeskTabs from '@/parts/cases/DeskTabs.vue'
import SelectOne from '@/parts/ui/SelectOne.vue'
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
const columns: { head: string; text: (r: Schemas['OutcomeRow']) => string }[] = [
  { head: 'Settled', text: (r) => String(r.settled) },
  { head: 'Confirmed', text: (r) => String(r.confirmed) },
  { head: 'Explained', text: (r) => String(r.explained) },
  { head: 'Data fault', text: (r) => String(r.data_fault) },
  { head: 'Rule fault', text: (r) => String(r.rule_fault) },
  { head: 'Cleared', text: (r) => String(r.cleared) },
  { head: 'Precision', text: (r) => (r.precision === undefined ? '' : `${Math.round(r.precision * 100)}%`) },
  { head: 'To first look', text: (r) => hours(r.hours_to_look) },
  { head: 'To settle', text: (r) => hours(r.hours_to_settle) },
  { head: 'Confirmed, at stake', text: (r) => stakeWords(r.stakes) },
  { head: 'Recovered', text: (r) => money(r.recovered) },
]
</script>

<template>
  <section>
    <DeskTabs />
    <div class="p-4">
      <div class="flex flex-wrap items-center gap-3">
        <h1 class="text-title font-semibold">Outcomes</h1>
        <SelectOne
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
        <SelectOne v-model="rule" label="Rule" all="All rules" :options="choices.rules.value" />
        <SelectOne v-model="deskName" label="Desk" all="All desks" :options="choices.desks.value" />
        <span class="flex flex-wrap items-center gap-2 text-small text-muted"
          >settled from <DateField v-model="from" label="Settled from" hint="default: a year ago" /> to
          <DateField v-model="to" label="Settled to" hint="default: today"
        /></span>
        <ExportMenu
          :href="(form) => fileAt('/api/reports/file', { report: 'outcomes', form, ...asked })"
          @print="onPaper"
        />
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
            <th v-for="c in columns" :key="c.head" scope="col" class="text-right">{{ c.head }}</th>
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
            <td
              v-for="c in columns"
              :key="c.head"
              class="figures text-right"
              :class="c.text(r) === '0' ? 'text-muted' : ''"
              :data-head="c.head"
              v-text="c.text(r)"
            ></td>
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
