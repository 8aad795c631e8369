<script setup lang="ts">
import { ArrowDownIcon, ArrowDownTrayIcon, ArrowUpIcon } from '@heroicons/vue/20/solid'
import { useQuery } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { useRoute } from 'vue-router'

import { api, need, type Schemas } from '@/lib/api'
import { fileAt } from '@/lib/files'
import { countWords } from '@/lib/format'
import { pageSize, usePaged } from '@/lib/paged'
import { usePeriod } from '@/lib/period'
import { useQueryChange, useQueryWord } from '@/lib/query'
import { useRulebook } from '@/lib/rulebook'
import { reach } from '@/lib/scale'
import { useTyped } from '@/lib/typed'
import CellMarks from '@/parts/figures/CellMarks.vue'
import LongTable from '@/parts/figures/LongTable.vue'
import BreakdownView from '@/parts/figures/BreakdownView.vue'
import MarksList from '@/parts/figures/MarksList.vue'
import TableLegend from '@/parts/figures/TableLegend.vue'
import SelectOne from '@/parts/ui/SelectOne.vue'
import SelectSome from '@/parts/ui/SelectSome.vue'
import SideSheet from '@/parts/ui/SideSheet.vue'
import QueryState from '@/parts/ui/QueryState.vue'

const route = useRoute()
const change = useQueryChange()
const { period, label } = usePeriod()
const { book } = useRulebook()
const measures = useQuery({ queryKey: ['measures'], queryFn: () => need(api.GET('/api/measures')) })

const by = useQueryWord('by')
const over = useQueryWord('over') // '' one period with several measures; 'months' one measure over periods
const chosen = useQueryWord('measures')
const flagged = useQueryWord('flagged') // 'yes' for those that are flagged alone
const formula = useQueryWord('formula') // one that is tried, beside or instead of the measures
const text = useQueryWord('text')
const shade = useQueryWord('shade') // '' bars, 'plain', 'places' in each column or 'rows' within each row
const groups = useQueryWord('groups') // gathered under subtotals of these attributes
const zone = useQueryWord('window') // a named window instead of the month
const cell = useQueryWord('cell') // measure|key|period, without a measure what marks the row
const listed = useQueryWord('without') // those without a figure: 'shown', 'hidden', or '' as is usual at the level

const sides = computed(() => (by.value || book.value?.kinds[0]?.name || '').split(' x '))
const kinds = computed(() => sides.value.map((s) => s.split('.')[0]))
const level = computed(() => sides.value.join(' x '))
const levels = computed(() => {
  const all = book.value?.kinds ?? []
  return [
    ...all.flatMap((k) => [
      { value: k.name, text: k.plural },
      ...k.attributes.map((a) => ({ value: `${k.name}.${a}`, text: `${k.plural} by ${a}` })),
    ]),
    ...all.flatMap((a, i) =>
      all
        .slice(i + 1)
        .map((b) => ({ value: `${a.name} x ${b.name}`, text: `${a.plural} × ${b.plural.toLowerCase()}` })),
    ),
    { value: 'whole', text: 'Total' },
  ]
})
// An attribute with all that it lies within, so that subtotals nest.
const gatherings = computed(() => {
  if (level.value === 'whole') return []
  return (book.value?.kinds ?? [])
    .filter((k) => sides.value.includes(k.name))
    .flatMap((k) =>
      k.attributes.map((a) => ({
        value: k.above[a].map((x) => `${k.name}.${x}`).join(','),
        text: `Subtotals by ${k.above[a].join(', ')}`,
      })),
    )
})
const gathered = computed(() => gatherings.value.find((g) => g.value === groups.value)?.value)
const askable = computed(() =>
  (measures.data.value ?? []).filter((m) => level.value === 'whole' || kinds.value.every((k) => m.kinds.includes(k))),
)
// To begin with four: the first of each unit, then the next.
const opening = computed(() => {
  const all = askable.value
  const units = all.filter((m, i) => all.findIndex((x) => x.unit === m.unit) === i).slice(0, 3)
  const four = [...new Set([...units, ...all])].slice(0, 4)
  return all.filter((m) => four.includes(m)).map((m) => m.name)
})
const picked = computed<string[]>({
  get: () => {
    const names = chosen.value.split(',').filter((n) => askable.value.some((m) => m.name === n))
    return names.length ? names : opening.value
  },
  set: (names) => (chosen.value = names.join(',')),
})
const asked = computed(() => {
  if (over.value === 'months') return [formula.value || picked.value[0]].filter(Boolean)
  return formula.value ? [...picked.value, formula.value] : picked.value
})
const written = ref(formula.value)
watch(formula, (v) => (written.value = v))

const typed = useTyped(text)

const sort = computed(() => Number(route.query.sort ?? 1))
const descending = computed(() => route.query.up !== 'yes')
function sortBy(column: number) {
  const turn = column === sort.value ? descending.value : column === 0
  void change({ sort: String(column), up: turn ? 'yes' : undefined })
}

const question = computed(() => ({
  measures: asked.value.join(','),
  by: level.value,
  groups: gathered.value,
  period: zone.value || period.value!,
  periods: over.value === 'months' ? 13 : 1,
  text: text.value || undefined,
  flagged: flagged.value === 'yes' || undefined,
  with_figures: listed.value ? listed.value === 'hidden' : undefined,
  sort: Math.min(sort.value, asked.value.length * (over.value === 'months' ? 13 : 1)),
  descending: descending.value,
}))
const { first, total, list } = usePaged<Schemas['TableRow'], Schemas['Table']>(
  computed(() => ['table', question.value]),
  (skip) =>
    need(
      api.GET('/api/table', {
        params: { query: { ...question.value, limit: pageSize, cursor: skip ? String(skip) : undefined } },
      }),
    ),
  computed(() => !!period.value && !!level.value && asked.value.length > 0),
)
const { data: table, error, isPending, refetch } = first
const download = computed(() => fileAt('/api/table.csv', question.value))
const noted = computed(() =>
  (table.value?.columns ?? []).filter((c, i, all) => c.groups && all.findIndex((x) => x.measure === c.measure) === i),
)
const head = (c: Schemas['TableColumn']) => (over.value === 'months' ? c.label : c.title)

// Bars are as long as the figure is large: in its column, or among all where
// the columns are one measure.
const most = computed(() => {
  const seen = table.value?.rows.filter((r) => !r.depth) ?? []
  const of = (i: number) => seen.flatMap((r) => r.cells[i]?.value ?? [])
  const columns = (table.value?.columns ?? []).map((_, i) => of(i))
  const all = reach(columns.flat()).most
  return columns.map((values) => Math.max(1e-9, over.value === 'months' ? all : reach(values).most))
})
const bar = (c: Schemas['Cell'], i: number) => `${Math.min(100, (100 * Math.abs(c.value ?? 0)) / most.value[i])}%`
const cutShort = (c: Schemas['Cell'], i: number) => Math.abs(c.value ?? 0) > most.value[i] * 1.0001
const shaded = computed(() =>
  shade.value === 'bars' || (shade.value === 'rows' && over.value !== 'months') ? '' : shade.value,
)
const anyCutShort = computed(
  () => !shaded.value && !!table.value?.rows.some((r) => !r.depth && r.cells.some((c, i) => cutShort(c, i))),
)

// Places within a row of one measure over periods: 1 is the best.
function placesInRow(r: Schemas['TableRow']) {
  const down = table.value?.columns[0]?.good === 'down'
  const values = [...new Set(r.cells.map((c) => c.value).filter((v): v is number => v !== undefined))]
  values.sort((x, y) => (down ? x - y : y - x))
  return { of: values.length, place: (c: Schemas['Cell']) => (c.value === undefined ? 0 : values.indexOf(c.value) + 1) }
}
// By place, so that one record does not wash out the rest.
function tint(r: Schemas['TableRow'], c: Schemas['Cell'], i: number) {
  const within = shade.value === 'rows' && over.value === 'months' ? placesInRow(r) : undefined
  const place = within ? within.place(c) : c.place
  const places = within ? within.of : (table.value?.columns[i]?.places ?? 0)
  if ((shade.value !== 'places' && !within) || !place || places < 2) return undefined
  const strength = Math.round(38 * Math.max(0, 1 - (place - 1) / (places - 1)))
  return { background: `color-mix(in srgb, var(--tide) ${strength}%, transparent)` }
}
// The best and the worst: of its row over periods, else of its group.
function mark(r: Schemas['TableRow'], c: Schemas['Cell']) {
  if (over.value === 'months') {
    const { of, place } = placesInRow(r)
    if (of < 3) return ''
    return place(c) === 1 ? 'best' : place(c) === of ? 'worst' : ''
  }
  if (!gathered.value || r.depth) return ''
  return c.worst ? 'worst' : c.place === 1 ? 'best' : ''
}
const place = (c: Schemas['Cell'], i: number) =>
  c.place
    ? gathered.value
      ? `rank ${c.place} in its group`
      : `rank ${c.place} of ${table.value?.columns[i]?.places}`
    : (c.why ?? '')

// Of pairs most have nothing to do with each other, so they are left out unless asked for.
const hidden = computed(() => (listed.value ? listed.value === 'hidden' : sides.value.length > 1))

// Marks stand on the cell of the measure that is flagged, else beside the name.
type Marks = Schemas['RowMark'][] | undefined
const marksOn = (marks: Marks, c?: Schemas['TableColumn']) =>
  (marks ?? []).filter((m) => (c ? m.measure === c.measure && m.period === c.period : !m.measure))

// What stands below the table beside the marks: its scale, its bars, and how totals are made.
const notes = computed(() => [
  ...(gathered.value ? ['Subtotals precede the rows of their group.'] : []),
  ...noted.value.map((c) => `* Groups and the total of ${c.title}: ${c.groups}.`),
  ...(anyCutShort.value ? ['A bar with a gap is truncated (outlier).'] : []),
  ...(shade.value === 'places' ? [`Darker is a better rank in its ${gathered.value ? 'group' : 'column'}.`] : []),
  ...(shade.value === 'rows' && over.value === 'months' ? ['Darker is a better rank in its row.'] : []),
  ...(over.value === 'months' || gathered.value
    ? [`↑ best and ↓ worst of each ${over.value === 'months' ? 'row' : 'group'}.`]
    : []),
])

const selected = computed(() => {
  const [measure, key, at, group] = cell.value.split('|')
  return key !== undefined && at ? { measure, key, period: at, by: group || level.value } : undefined
})
// What is flagged of the figure that is open: on its cell first, then of its row, which need
// not be in view.
const opened = useQuery({
  queryKey: computed(() => ['table', 'row', asked.value, question.value.periods, selected.value]),
  queryFn: async () => {
    const { measure, by, key, period } = selected.value!
    const text = by === 'whole' ? undefined : key
    // A row is marked in any of the periods that are shown, a figure in its own.
    const query = {
      measures: asked.value.join(','),
      by,
      period,
      periods: measure ? 1 : question.value.periods,
      text,
      limit: 1000,
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
const rowCell = (r: { key: string; by?: string }) =>
  ['', r.key, question.value.period, ...(r.by ? [r.by] : [])].join('|')
const named = (c: Schemas['TableColumn'], r: { key: string; by?: string }) =>
  [c.measure, r.key, c.period, ...(r.by ? [r.by] : [])].join('|')
const calendar = useQuery({
  queryKey: ['calendar'],
  queryFn: () => need(api.GET('/api/calendar', { params: { query: {} } })),
})
const zones = computed(() => (calendar.data.value?.windows ?? []).map((w) => ({ value: w.name, text: w.title })))
</script>

<template>
  <div class="flex min-h-0 flex-1">
    <section class="min-w-0 flex-1">
      <div class="flex flex-wrap items-center gap-2 px-4 pt-3 pb-2">
        <h1 class="sr-only">Figures of {{ label }}</h1>
        <input v-model="typed" type="search" class="field w-40" placeholder="Name or key" aria-label="Name or key" />
        <SelectOne v-model="by" label="By" :all="levels[0]?.text ?? ''" :options="levels.slice(1)" />
        <SelectOne
          v-if="gatherings.length"
          v-model="groups"
          label="Subtotals"
          all="No subtotals"
          :options="gatherings"
        />
        <SelectOne v-if="zones.length" v-model="zone" label="Days" :all="label ?? ''" :options="zones" />
        <SelectOne
          v-model="over"
          label="Columns"
          all="Measures in columns"
          :options="[{ value: 'months', text: 'One measure, by period' }]"
        />
        <SelectOne
          v-if="over === 'months'"
          label="Measure"
          :model-value="asked[0] === askable[0]?.name ? '' : asked[0]"
          :all="askable[0]?.title ?? ''"
          :options="askable.slice(1).map((m) => ({ value: m.name, text: m.title }))"
          @update:model-value="(v) => (chosen = v)"
        />
        <SelectSome
          v-else
          v-model="picked"
          label="Measures"
          :text="countWords(picked.length, 'measure')"
          :options="askable.map((m) => ({ value: m.name, text: m.title }))"
        />
        <form class="flex" @submit.prevent="formula = written.trim()">
          <input
            v-model="written"
            class="field w-64 font-mono text-small"
            placeholder="Try a formula"
            aria-label="A formula to try, such as growth(revenue, 1 year)"
            @change="formula = written.trim()"
          />
        </form>
        <SelectOne
          v-model="shade"
          label="Colour"
          all="Bars"
          :options="[
            { value: 'plain', text: 'Plain' },
            { value: 'places', text: 'Colour by rank' },
            ...(over === 'months' ? [{ value: 'rows', text: 'Colour within each row' }] : []),
          ]"
        />
        <SelectOne v-model="flagged" label="Who" all="All" :options="[{ value: 'yes', text: 'Flagged only' }]" />
        <a v-if="table" :href="download" class="button ml-auto no-underline" download>
          <ArrowDownTrayIcon class="size-4" aria-hidden="true" />Export CSV
        </a>
      </div>
      <p class="px-4 pb-1 text-small text-muted" role="status">
        {{ countWords(total, 'row')
        }}<template v-if="table?.without"
          >, {{ table.without.toLocaleString('en-GB') }} without a figure
          <template v-if="hidden">left out </template>
          <button class="text-tide underline" @click="listed = hidden ? 'shown' : 'hidden'">
            {{ hidden ? 'Show them' : 'Hide them' }}
          </button></template
        >
      </p>
      <p v-if="error && formula" role="alert" class="px-4 pb-2 text-red">{{ error.message }}</p>
      <QueryState v-if="!table" :loading="isPending" :error="error" @retry="refetch()" />
      <QueryState v-else-if="!total" :empty="text ? 'No match.' : `There are no figures for ${label}.`" />
      <LongTable
        v-else
        class="figures max-h-[max(20rem,calc(100vh-17rem))] px-2"
        label="Figures"
        :list="list"
        :around="2"
        :row-class="(r) => (r.depth ? 'bg-sunk font-semibold' : '')"
      >
        <template #head>
          <tr>
            <th
              scope="col"
              class="sticky left-0 bg-paper"
              :aria-sort="sort === 0 ? (descending ? 'descending' : 'ascending') : 'none'"
            >
              <button class="font-semibold hover:text-tide" @click="sortBy(0)">Name</button>
            </th>
            <th
              v-for="(c, i) in table.columns"
              :key="c.measure + c.period"
              scope="col"
              :aria-sort="sort === i + 1 ? (descending ? 'descending' : 'ascending') : 'none'"
            >
              <button
                class="inline-flex w-full items-center justify-end gap-1 font-semibold hover:text-tide"
                @click="sortBy(i + 1)"
              >
                <component
                  :is="descending ? ArrowDownIcon : ArrowUpIcon"
                  v-if="sort === i + 1"
                  class="size-3.5 text-tide"
                  aria-hidden="true"
                />{{ head(c) }}
                <span
                  v-if="c.groups"
                  class="font-normal"
                  :title="`Groups and the total: ${c.groups}`"
                  aria-hidden="true"
                  >*</span
                >
              </button>
            </th>
          </tr>
        </template>
        <template #row="{ row: r }">
          <th
            scope="row"
            class="sticky left-0 !border-line !text-base !text-ink"
            :class="r.depth ? 'bg-sunk !font-semibold' : 'bg-paper !font-normal'"
            :style="{
              paddingLeft: `${8 + 16 * ((r.depth ?? (gathered ? gathered.split(',').length + 1 : 1)) - 1)}px`,
            }"
          >
            {{ r.name || '(none)' }}
            <span v-if="r.key !== r.name" class="ml-1 font-mono text-small text-muted">{{ r.key }}</span>
            <button v-if="marksOn(r.marks).length" class="ml-1" @click="cell = rowCell(r)">
              <CellMarks :marks="marksOn(r.marks)" />
            </button>
            <span v-if="r.why" class="ml-1 text-small text-muted max-sm:sr-only">{{ r.why }}</span>
          </th>
          <td v-for="(c, i) in r.cells" :key="i" class="!p-0 text-right whitespace-nowrap" :style="tint(r, c, i)">
            <button
              class="block h-8 w-full px-2 text-right hover:bg-tide-soft"
              :class="cell === named(table.columns[i], r) ? 'bg-tide-soft outline outline-tide' : ''"
              :title="place(c, i)"
              @click="cell = named(table.columns[i], r)"
            >
              <CellMarks :marks="marksOn(r.marks, table.columns[i])" />
              <span v-if="mark(r, c) === 'best'" class="mr-1 text-tide">↑<span class="sr-only">best</span></span>
              <span v-else-if="mark(r, c) === 'worst'" class="mr-1 text-muted"
                >↓<span class="sr-only">worst</span></span
              >
              <span :class="c.text ? '' : 'text-muted'">{{ c.text || '–' }}</span><span
                v-if="!c.text"
                class="sr-only"
                >{{ c.why }}</span
              >
              <span v-if="!shaded && !r.depth" class="-mt-0.5 flex h-[3px] justify-end" aria-hidden="true">
                <span v-if="cutShort(c, i)" class="mr-[3px] block w-[5px] bg-tide" title="Truncated (outlier)"></span>
                <span
                  class="block bg-tide"
                  :class="cutShort(c, i) ? 'flex-1' : ''"
                  :style="{ width: bar(c, i) }"
                ></span>
              </span>
            </button>
          </td>
        </template>
        <template v-if="level !== 'whole'" #foot>
          <tr>
            <th scope="row" class="sticky left-0 !border-t !border-line bg-paper !text-base !text-ink">
              Total
              <button
                v-if="marksOn(table.whole_marks).length"
                class="ml-1"
                @click="cell = rowCell({ key: 'all', by: 'whole' })"
              >
                <CellMarks :marks="marksOn(table.whole_marks)" />
              </button>
            </th>
            <td v-for="(c, i) in table.whole" :key="i" class="border-t !p-0 text-right font-semibold whitespace-nowrap">
              <button
                class="block h-8 w-full px-2 text-right hover:bg-tide-soft"
                :title="c.why"
                @click="cell = named(table.columns[i], { key: 'all', by: 'whole' })"
              >
                <CellMarks :marks="marksOn(table.whole_marks, table.columns[i])" />{{ c.text || '–' }}
              </button>
            </td>
          </tr>
        </template>
      </LongTable>
      <TableLegend v-if="table && total" :entries="table.legend ?? []" :notes="notes" />
    </section>
    <SideSheet v-if="selected" label="Figure" @close="cell = ''">
      <MarksList v-if="open.length" :marks="open" class="px-4 pt-2" />
      <QueryState
        v-else-if="!selected.measure"
        :loading="opened.isPending.value"
        :error="opened.error.value"
        empty="Nothing is flagged here."
        @retry="opened.refetch()"
      />
      <BreakdownView
        v-if="selected.measure"
        :measure="selected.measure"
        :by="selected.by"
        :subject="selected.key"
        :period="selected.period"
        @open="(m) => (cell = [m, selected!.key, selected!.period, selected!.by].join('|'))"
      />
    </SideSheet>
  </div>
</template>
