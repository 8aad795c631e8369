import { useQuery } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'

import { api, need, type Schemas } from './api'
import { kinds, placeAmong, placeWords, plainLook, readLooks, writeLooks, type Kind, type Look } from './looks'
import { pageSize, usePaged } from './paged'
import { usePeriod } from './period'
import { useQueryChange, useQueryWord } from './query'
import { useRulebook } from './rulebook'

export type Row = Schemas['TableRow']
export type Column = Schemas['TableColumn']
export type Cell = Schemas['Cell']
export type Mark = Schemas['RowMark']

/** Of how many periods a cell has its line, and a table by period its columns unless stated. */
export const usual = 13

/**
 * A table of figures: what is chosen, the question to the service, its rows. What it asks for stands
 * in the words of the URL, or in those that are handed in, of a kept table on a board.
 */
export function useTable(useWord: (name: string) => Ref<string> = useQueryWord) {
  const change = useQueryChange()
  const { period, label } = usePeriod()
  const { book } = useRulebook()
  const measures = useQuery({ queryKey: ['measures'], queryFn: () => need(api.GET('/api/measures')) })
  const dials = useQuery({ queryKey: ['dials'], queryFn: () => need(api.GET('/api/dials')) })

  const words = {
    by: useWord('by'),
    over: useWord('over'), // '' one period, 'months' one measure by period, 'both' measures by period, 'rows' periods as rows, or a level across
    back: useWord('back'), // how many periods, where they are shown
    measures: useWord('measures'),
    flagged: useWord('flagged'), // 'yes' those that are flagged alone, 'light' the others pale
    formula: useWord('formula'), // one that is tried, beside or instead of the measures
    text: useWord('text'),
    rows: useWord('rows'), // a condition on rows
    where: useWord('where'), // a condition on the lines that figures are made of
    light: useWord('light'), // 'yes' those who match the text are lit up, and the others stay
    shade: useWord('shade'), // how columns are drawn that say nothing themselves: '' is bars
    looks: useWord('looks'), // of columns by themselves
    best: useWord('best'), // '' is usual, 'columns', 'rows', 'none'
    groups: useWord('groups'), // gathered under subtotals of these attributes
    zone: useWord('window'), // a named window instead of the month
    cell: useWord('cell'), // measure|key|period, without a measure what marks the row
    without: useWord('without'), // those without a figure: 'shown', 'hidden', or '' as is usual at the level
    marks: useWord('marks'), // '' as recorded, 'now', 'draft'
    sort: useWord('sort'), // a column from 1, 0 the names, -1 the marks
    up: useWord('up'), // 'yes' the smallest first
    kept: useWord('kept'), // the number of the kept table that it was opened from
    dials: useWord('dials'), // other values of dials that are tried, floor=23%,drop=40%
    on: useWord('on'), // 'totals' marks subtotals and totals alone
  }

  const sides = computed(() => (words.by.value || book.value?.kinds[0]?.name || '').split(' x '))
  const kindsOf = computed(() => sides.value.map((s) => s.split('.')[0]))
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
  /** What can be laid across: attributes of other kinds, and the kinds themselves. */
  const acrosses = computed(() =>
    level.value === 'whole' || sides.value.length > 1
      ? []
      : (book.value?.kinds ?? [])
          .filter((k) => k.name !== kindsOf.value[0])
          .flatMap((k) => [
            ...k.attributes.map((a) => ({
              value: `${k.name}.${a}`,
              text: `Across: ${k.plural.toLowerCase()} by ${a}`,
            })),
            { value: k.name, text: `Across: ${k.plural.toLowerCase()}` },
          ]),
  )
  const across = computed(() => acrosses.value.find((a) => a.value === words.over.value)?.value)
  const periodic = computed(() => ['months', 'both', 'rows'].includes(words.over.value))
  /** One measure fills the columns, which then share one scale. */
  const one = computed(() => words.over.value === 'months' || !!across.value)

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
  const gathered = computed(() => gatherings.value.find((g) => g.value === words.groups.value)?.value)
  const askable = computed(() =>
    (measures.data.value ?? []).filter(
      (m) => level.value === 'whole' || kindsOf.value.every((k) => m.kinds.includes(k)),
    ),
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
      const names = words.measures.value.split(',').filter((n) => askable.value.some((m) => m.name === n))
      return names.length ? names : opening.value
    },
    set: (names) => (words.measures.value = names.join(',')),
  })
  /** Those that are asked for and that the rulebook does not have at this level. */
  const gone = computed(() =>
    measures.data.value && level.value
      ? words.measures.value.split(',').filter((n) => n && !askable.value.some((m) => m.name === n))
      : [],
  )
  const shown = computed(() => {
    const formula = words.formula.value
    if (one.value) return [formula || picked.value[0]].filter(Boolean)
    return formula ? [...picked.value, formula] : picked.value
  })

  const looks = computed(() => readLooks(words.looks.value))
  const usualKind = computed<Kind>(() => (words.shade.value in kinds ? (words.shade.value as Kind) : 'bars'))
  const lookOf = (measure: string): Look => looks.value[measure] ?? plainLook(usualKind.value)
  function setLook(measure: string, look: Look | undefined) {
    const rest = Object.fromEntries(Object.entries(looks.value).filter(([m]) => m !== measure))
    words.looks.value = writeLooks(look ? { ...rest, [measure]: look } : rest)
  }

  // A comparison value is a column that is asked for too, and not shown.
  const yardOf = (measure: string) => {
    const { kind, yard } = lookOf(measure)
    if (kind !== 'bars' || one.value || periodic.value) return undefined
    return yard === 'target' ? `target(${measure})` : yard === 'year' ? `earlier(${measure}, 1 year)` : undefined
  }
  const hidden = computed(() => [
    ...new Set(shown.value.flatMap((m) => yardOf(m) ?? []).filter((m) => !shown.value.includes(m))),
  ])
  const asked = computed(() => [...shown.value, ...hidden.value])
  const back = computed(() => {
    if (!periodic.value) return 1
    const n = Number(words.back.value)
    return Number.isInteger(n) && n > 0 && n <= 120 ? n : usual
  })

  const sort = computed(() => Number(words.sort.value || (words.over.value === 'rows' ? 0 : 1)))
  const descending = computed(() => words.up.value !== 'yes')
  function sortBy(column: number) {
    const turn = column === sort.value ? descending.value : column === 0
    words.sort.value = String(column)
    words.up.value = turn ? 'yes' : ''
  }

  const rowsLevel = computed(() => (words.over.value === 'rows' ? 'whole' : level.value))
  const question = computed(() => ({
    measures: asked.value.join(','),
    by: rowsLevel.value,
    groups: words.over.value === 'rows' ? undefined : gathered.value,
    across: across.value,
    period: words.zone.value || period.value!,
    periods: back.value,
    lines: !periodic.value && shown.value.some((m) => lookOf(m).kind === 'line') ? usual : undefined,
    text: words.light.value !== 'yes' && words.over.value !== 'rows' ? words.text.value || undefined : undefined,
    rows: words.over.value !== 'rows' ? words.rows.value || undefined : undefined,
    where: words.where.value || undefined,
    flagged: words.flagged.value === 'yes' || undefined,
    with_figures: words.without.value ? words.without.value === 'hidden' : undefined,
    dials: words.dials.value || undefined,
    marks: (words.dials.value ? undefined : words.marks.value || undefined) as Schemas['MarksFrom'] | undefined,
    sort: across.value ? sort.value : Math.min(sort.value, asked.value.length * back.value),
    descending: descending.value,
  }))
  const paged = usePaged<Row, Schemas['Table']>(
    computed(() => ['table', question.value]),
    (skip) =>
      need(
        api.GET('/api/table', {
          params: { query: { ...question.value, limit: pageSize, cursor: skip ? String(skip) : undefined } },
        }),
      ),
    computed(() => !!period.value && !!level.value && asked.value.length > 0),
  )
  const table = paged.first.data
  /** The columns that are shown, with their places among those of the rows. */
  const columns = computed(() =>
    (table.value?.columns ?? [])
      .map((column, at) => ({ column, at }))
      .filter(({ column }) => !hidden.value.includes(column.measure)),
  )
  /** The comparison value of a cell, for drawing. */
  function yardAt(r: Row, { column, at }: { column: Column; at: number }): number | undefined {
    const look = lookOf(column.measure)
    if (look.kind !== 'bars') return undefined
    if (look.yard === 'mean') return column.spread?.mean
    const name = yardOf(column.measure)
    const i = name ? (table.value?.columns ?? []).findIndex((c, k) => k !== at && c.measure === name) : -1
    return i < 0 ? undefined : r.cells[i]?.value
  }
  return {
    ...{
      words,
      label,
      period,
      sides,
      level,
      levels,
      acrosses,
      across,
      periodic,
      one,
      gatherings,
      gathered,
      askable,
      picked,
    },
    ...{
      shown,
      gone,
      asked,
      back,
      looks,
      lookOf,
      setLook,
      usualKind,
      sort,
      descending,
      sortBy,
      question,
      table,
      columns,
      yardAt,
    },
    ...{
      total: paged.total,
      list: paged.list,
      first: paged.first,
      dials: computed(() => dials.data.value ?? []),
      change,
    },
  }
}

export type FigureTable = ReturnType<typeof useTable>

/** The periods of a table of the whole in rows, by year, with its measures in columns: the newest first. */
export function turned(t: Schemas['Table'], columns: { column: Column; at: number }[]) {
  const cells = t.rows[0]?.cells ?? t.whole
  const marks = t.rows[0]?.marks ?? t.whole_marks ?? []
  const measures = columns.filter(
    ({ column }, i) => columns.findIndex((c) => c.column.measure === column.measure) === i,
  )
  const periods = columns.filter(({ column }) => column.measure === columns[0]?.column.measure).reverse()
  let year = ''
  return {
    measures: measures.map(({ column }) => column),
    rows: periods.map(({ column: { period, label } }) => {
      const now = period.slice(0, 4)
      const turns = now !== year
      year = now
      return {
        period,
        label,
        year: turns ? now : '',
        cells: measures.map(({ column: { measure, good } }) => {
          const of = columns.filter(({ column: c }) => c.measure === measure)
          const here = of.find(({ column: c }) => c.period === period)
          const cell = cells[here?.at ?? -1] ?? { text: '' }
          return {
            ...cell,
            marks: marks.filter((m) => m.measure === measure && m.period === period),
            rank: placeWords(
              placeAmong(
                of.map(({ at }) => cells[at]?.value),
                cell.value,
                good,
              ),
              1,
            ),
          }
        }),
      }
    }),
  }
}

/** What stands over a column: the measure, the period or what lies across, or both. */
export const headOf = ({ across, words }: FigureTable, c: Column) =>
  across.value || words.over.value === 'months'
    ? c.label
    : words.over.value === 'both'
      ? `${c.title}, ${c.label}`
      : c.title

export type Upright = ReturnType<typeof turned>

/** The table with periods in rows, where it is arranged so. */
export const useUpright = ({ words, table, columns }: FigureTable) =>
  computed(() => (words.over.value === 'rows' && table.value ? turned(table.value, columns.value) : undefined))
