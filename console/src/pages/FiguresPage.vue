<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, nextTick, ref } from 'vue'

import { api, need } from '@/lib/api'
import { useDrawing } from '@/lib/drawing'
import { countWords, momentWords } from '@/lib/format'
import { useRulebook } from '@/lib/rulebook'
import { useSession } from '@/lib/session'
import { headOf, useTable, useUpright, type Column, type Row } from '@/lib/table'
import BreakdownView from '@/parts/figures/BreakdownView.vue'
import FigureRow from '@/parts/figures/FigureRow.vue'
import FiguresBar from '@/parts/figures/FiguresBar.vue'
import FiguresTable from '@/parts/figures/FiguresTable.vue'
import FigureTabs from '@/parts/figures/FigureTabs.vue'
import KeptNote from '@/parts/figures/KeptNote.vue'
import MarksList from '@/parts/figures/MarksList.vue'
import UprightTable from '@/parts/figures/UprightTable.vue'
import TableLegend from '@/parts/figures/TableLegend.vue'
import GradeMark from '@/parts/ui/GradeMark.vue'
import SideSheet from '@/parts/ui/SideSheet.vue'
import QueryState from '@/parts/ui/QueryState.vue'

const of = useTable()
const { words, label, sides, gone, question, table, columns, total } = of
const { error, isPending, refetch } = of.first
const draw = useDrawing(of)
const { book } = useRulebook()
const { person } = useSession()
const { cell, without, text } = words

const head = (c: Column) => headOf(of, c)

// Of pairs most have nothing to do with each other, so they are left out unless asked for.
const hidden = computed(() => (without.value ? without.value === 'hidden' : sides.value.length > 1))

/** Where the marks come from, where that needs saying. */
const marking = computed(() => {
  const m = table.value?.marking
  if (!m || words.on.value === 'none') return ''
  if (m.by === 'recorded')
    return m.unswept.length
      ? `Not swept, so nothing is on record: ${m.unswept.length > 3 ? countWords(m.unswept.length, 'period') : m.unswept.join(', ')}.`
      : ''
  if (m.narrowed) return 'Figures and marks of these lines alone; rules over windows do not judge them.'
  const says = {
    draft: 'Figures and marks as my draft says',
    trial: `Tried, not published: figures and marks with ${words.dials.value.replaceAll(',', ', ')}`,
    now: 'Marks as the published rules say now',
  }[m.by]
  if (m.unlike) return `${says}; ${m.unlike} of them say something else than on record.`
  return m.unswept.length ? `${says}; not on record.` : `${says}, the same as on record.`
})

const selected = computed(() => {
  const [measure, key, at, group] = cell.value.split('|')
  return key !== undefined && at ? { measure, key, period: at, by: group || question.value.by } : undefined
})
// What is marked of the figure that is open: on its cell first, then of its row, which need
// not be in view.
const opened = useQuery({
  queryKey: computed(() => ['table', 'row', of.asked.value, question.value, selected.value]),
  queryFn: async () => {
    const { measure, by, key, period } = selected.value!
    // A row is marked in any of the periods that are shown, a figure in its own.
    const query = {
      measures: of.asked.value.join(','),
      by,
      period,
      periods: measure ? 1 : question.value.periods,
      text: by === 'whole' ? undefined : key,
      marks: question.value.marks,
      dials: question.value.dials,
      where: question.value.where,
      limit: 200,
    }
    const t = await need(api.GET('/api/table', { params: { query } }))
    return t.rows.find((r) => r.key === key)?.marks ?? []
  },
  enabled: computed(() => !!selected.value),
})
const open = computed(() => {
  const marks = opened.data.value ?? []
  const on = marks.filter((m) => m.measure === selected.value?.measure)
  return [...on, ...marks.filter((m) => !m.measure)]
})

const whole = computed<Row>(() => ({
  key: 'all',
  name: 'Total',
  cells: table.value?.whole ?? [],
  marks: table.value?.whole_marks,
}))
const upright = useUpright(of)

// On paper stands every row, whatever is in view.
const printed = ref<Row[]>()
async function print() {
  const rows: Row[] = []
  for (let next: string | undefined = '0'; next !== undefined && rows.length < 5000;) {
    const page: Awaited<ReturnType<typeof fetchPage>> = await fetchPage(next)
    rows.push(...page.rows)
    next = page.next
  }
  printed.value = rows
  await nextTick()
  window.print()
  printed.value = undefined
}
const graded = computed(() => [...new Set((table.value?.legend ?? []).map((e) => e.grade))])
const fetchPage = (cursor: string) =>
  need(api.GET('/api/table', { params: { query: { ...question.value, limit: 200, cursor } } }))
</script>

<template>
  <div class="flex min-h-0 flex-1">
    <section class="min-w-0 flex-1">
      <FigureTabs />
      <h1 class="sr-only">Figures of {{ label }}</h1>
      <KeptNote v-if="words.kept.value" :of="of" />
      <FiguresBar :of="of" @print="print" />
      <p v-if="gone.length" role="alert" class="px-4 pb-1 text-amber">
        Left out, since the rulebook has no such measure at this level: {{ gone.join(', ') }}.
      </p>
      <p class="px-4 pb-1 text-small text-muted print:hidden" role="status">
        {{ countWords(upright ? upright.rows.length : total, 'row')
        }}<template v-if="table?.without"
          >, {{ table.without.toLocaleString('en-GB') }} without a figure
          <template v-if="hidden">left out </template>
          <button class="text-tide underline" @click="without = hidden ? 'shown' : 'hidden'">
            {{ hidden ? 'Show them' : 'Hide them' }}
          </button></template
        ><template v-if="marking">
          · {{ marking }}
          <button
            v-if="table?.marking?.by === 'recorded'"
            class="text-tide underline"
            @click="words.marks.value = 'now'"
          >
            Mark by the rules as they are now
          </button></template
        >
      </p>
      <p v-if="error && table" role="alert" class="px-4 pb-2 text-red">{{ error.message }}</p>
      <QueryState v-if="!table" :loading="isPending" :error="error" @retry="refetch()" />
      <QueryState
        v-else-if="!total"
        :empty="text || words.rows.value ? 'No match.' : `There are no figures for ${label}.`"
      />
      <UprightTable v-else-if="upright" class="mx-2 max-h-[max(20rem,calc(100vh-17rem))]" :of="of" :table="upright" />
      <FiguresTable
        v-else
        class="max-h-[max(20rem,calc(100vh-17rem))] mx-2 print:hidden"
        :of="of"
        :draw="draw"
        @open="(c) => (cell = c)"
      />
      <table v-if="printed && table" class="grid-table figures hidden print:table">
        <caption class="pb-2 text-left">
          <span class="text-title font-semibold">{{ book?.title }}: figures of {{ label }}</span
          ><br />
          {{
            of.levels.value.find((l) => l.value === of.level.value)?.text
          }}<template v-if="text">, “{{ text }}” in name or key</template
          ><template v-if="question.rows">, rows where {{ question.rows }}; the total is of all</template
          ><template v-if="words.where.value">, of lines where {{ words.where.value }}</template
          ><template v-if="words.flagged.value === 'yes'">, flagged only</template
          >.
          {{
            countWords(printed.length, 'row')
          }}{{
            printed.length < total ? ` of ${total}` : ''
          }}. Rulebook revision
          {{
            book?.revision
          }}. Printed by
          {{
            person?.display_name
          }},
          {{
            momentWords(new Date().toISOString())
          }}.<template v-if="marking"> {{ marking }}</template>
        </caption>
        <thead>
          <tr>
            <th scope="col">Name</th>
            <th v-for="{ column: c } in columns" :key="c.measure + c.period + c.across" scope="col" class="!text-right">
              {{ head(c) }}
            </th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(r, i) in printed" :key="i" :class="r.depth ? 'bg-sunk font-semibold' : ''">
            <FigureRow :of="of" :draw="draw" :row="r" />
          </tr>
          <tr v-if="question.by !== 'whole'">
            <FigureRow :of="of" :draw="draw" :row="whole" whole />
          </tr>
        </tbody>
        <tfoot>
          <tr v-if="graded.length">
            <td :colspan="columns.length + 1" class="!border-0 text-small">
              <span v-for="g in graded" :key="g" class="mr-4"><GradeMark :grade="g" /></span>
              <span class="text-muted">what gives them stands at the end</span>
            </td>
          </tr>
        </tfoot>
      </table>
      <TableLegend
        v-if="table && total"
        :entries="words.on.value === 'none' ? [] : (table.legend ?? [])"
        :scales="draw.legend.value"
        :notes="draw.notes.value"
      />
    </section>
    <SideSheet v-if="selected" label="Figure" @close="cell = ''">
      <MarksList v-if="open.length" :marks="open" class="px-4 pt-2" />
      <QueryState
        v-else-if="!selected.measure"
        :loading="opened.isPending.value"
        :error="opened.error.value"
        empty="Nothing is marked here."
        @retry="opened.refetch()"
      />
      <BreakdownView
        v-if="selected.measure"
        :measure="selected.measure"
        :by="selected.by"
        :subject="selected.key"
        :period="selected.period"
        :where="question.where"
        @open="(m) => (cell = [m, selected!.key, selected!.period, selected!.by].join('|'))"
      />
    </SideSheet>
  </div>
</template>
