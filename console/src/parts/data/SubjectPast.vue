<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'

import { api, need } from '@/lib/api'
import { useRulebook } from '@/lib/rulebook'
import MarksRow from '@/parts/exceptions/MarksRow.vue'
import PeriodHeads from '@/parts/exceptions/PeriodHeads.vue'
import ShapeMark from '@/parts/ui/ShapeMark.vue'

/** One subject over the last periods: its figures with the flags on them and, but where figures alone are
 *  asked for, what is on record of it. */
const props = defineProps<{ kind: string; subject: string; period: string; figures?: boolean }>()
const { grade, desk } = useRulebook()
const measures = useQuery({ queryKey: ['measures'], queryFn: () => need(api.GET('/api/measures')) })
// The first of each unit, then the next, as far as the page is wide.
const shown = computed(() => {
  const kinds = props.kind.split(' x ').map((s) => s.split('.')[0])
  const all = (measures.data.value ?? []).filter(
    (m) => props.kind === 'whole' || kinds.every((k) => m.kinds.includes(k)),
  )
  const units = all
    .filter((m) => m.unit !== 'days')
    .filter((m, i, all) => all.findIndex((x) => x.unit === m.unit) === i)
  const few = [...new Set([...units, ...all.filter((m) => m.unit !== 'days')])].slice(0, 4)
  return all.filter((m) => few.includes(m)).map((m) => m.name)
})
const table = useQuery({
  queryKey: computed(() => ['table', 'subject', props.kind, props.subject, props.period, shown.value]),
  queryFn: () =>
    need(
      api.GET('/api/table', {
        params: {
          query: {
            measures: shown.value.join(','),
            by: props.kind,
            period: props.period,
            periods: 13,
            text: props.kind === 'whole' ? undefined : props.subject,
            limit: 1000,
          },
        },
      }),
    ),
  enabled: computed(() => shown.value.length > 0),
})
const row = computed(() => table.data.value?.rows.find((r) => r.key === props.subject))
const columns = computed(() => table.data.value?.columns ?? [])
const periods = computed(() => columns.value.filter((c) => c.measure === columns.value[0]?.measure))
const cells = (measure: string) =>
  columns.value.flatMap((c, i) => (c.measure === measure && row.value ? [{ ...row.value.cells[i], of: c }] : []))
const marks = (measure: string | undefined, period: string) =>
  (row.value?.marks ?? []).filter((m) => m.measure === measure && m.period === period)
const rowMarks = computed(() => (row.value?.marks ?? []).some((m) => !m.measure))

const record = useQuery({
  queryKey: computed(() => ['exceptions', 'subject', props.kind, props.subject, props.period]),
  queryFn: () =>
    need(
      api.GET('/api/exceptions', {
        params: { query: { period: props.period, kind: props.kind, key: props.subject, limit: 100 } },
      }),
    ),
})
</script>

<template>
  <section v-if="row" class="mt-6">
    <h2 class="text-lead font-semibold">Its figures</h2>
    <div class="overflow-x-auto">
      <table class="grid-table figures mt-1">
        <caption class="sr-only">
          Figures of the last periods, with their flags
        </caption>
        <thead>
          <tr>
            <th scope="col" class="sticky left-0 bg-paper">Measure</th>
            <PeriodHeads :periods="periods" />
          </tr>
        </thead>
        <tbody>
          <tr v-for="m in shown" :key="m">
            <th scope="row" class="sticky left-0 bg-paper !border-line !text-base !font-normal !text-ink">
              <RouterLink :to="{ path: `/measures/${m}`, query: { period } }">{{
                cells(m)[0]?.of.title ?? m
              }}</RouterLink>
            </th>
            <td v-for="c in cells(m)" :key="c.of.period" class="text-right whitespace-nowrap" :title="c.why">
              <RouterLink
                v-for="x in marks(m, c.of.period).slice(0, 1)"
                :key="x.exception"
                :to="`/exceptions/${x.exception}`"
                :title="x.sentence"
                :aria-label="`${grade(x.grade).label}: ${x.sentence}`"
                class="mr-1 inline-block align-middle"
                ><ShapeMark :shape="grade(x.grade).shape" :tone="grade(x.grade).tone"
              /></RouterLink>
              <span :class="c.text ? '' : 'text-muted'">{{ c.text || '–' }}</span>
            </td>
          </tr>
          <tr v-if="rowMarks">
            <th scope="row" class="sticky left-0 bg-paper !border-line !text-base !font-normal !text-ink">
              Other flags
            </th>
            <td v-for="c in periods" :key="c.period" class="text-right">
              <RouterLink
                v-for="x in marks(undefined, c.period).slice(0, 3)"
                :key="x.exception"
                :to="`/exceptions/${x.exception}`"
                :title="`${x.title}: ${x.sentence}`"
                :aria-label="`${grade(x.grade).label}: ${x.sentence}`"
                class="ml-1 inline-block align-middle"
                ><ShapeMark :shape="grade(x.grade).shape" :tone="grade(x.grade).tone"
              /></RouterLink>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
  </section>
  <section v-if="!figures && record.data.value?.items.length" class="mt-6">
    <h2 class="text-lead font-semibold">Exceptions in this period</h2>
    <table class="grid-table cards-narrow mt-1">
      <caption class="sr-only">
        Exceptions, with their state in the last periods
      </caption>
      <thead>
        <tr>
          <th scope="col">Rule</th>
          <th scope="col">Last 13 periods</th>
          <th scope="col">State</th>
          <th scope="col">Case</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="x in record.data.value.items" :key="x.id">
          <td>
            <RouterLink :to="`/exceptions/${x.id}`">{{ x.rule_title }}</RouterLink>
          </td>
          <td><MarksRow v-if="x.marks" :marks="x.marks" :periods="record.data.value.mark_periods ?? []" /></td>
          <td class="text-small text-muted">
            {{ x.back ? 'back again' : x.streak && x.streak > 1 ? `${x.streak} in a row` : x.state }}
          </td>
          <td class="text-small">
            <RouterLink v-if="x.case" :to="`/cases/${x.case}`" class="underline">Case {{ x.case }}</RouterLink
            ><template v-if="x.case">, {{ desk(x.desk) }}: {{ x.case_state }}</template>
          </td>
        </tr>
      </tbody>
    </table>
  </section>
</template>
