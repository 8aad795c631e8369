import { computed } from 'vue'

import { barOf, extent, placeAmong, placeWords, scaleOf, tint, tintOf, type Bar, type Scale } from './looks'
import { useRulebook } from './rulebook'
import type { Cell, Column, FigureTable, Mark, Row } from './table'

type At = { column: Column; at: number }

/** How the cells of a table are drawn: tints, bars, best and worst, directions, marks. */
export function useDrawing(of: FigureTable) {
  const { words, table, columns, lookOf, one, across, periodic, gathered, dials, yardAt } = of
  const { grade } = useRulebook()

  const kindAt = (c: Column) => (one.value && words.shade.value === 'rows' ? 'rows' : lookOf(c.measure).kind)
  /** Those that share a scale: columns of one measure, but not a total of what lies across. */
  const alike = (c: Column) =>
    columns.value.filter(({ column: o }) => o.measure === c.measure && !o.across === !c.across).map((o) => o.column)

  const extents = computed(() =>
    columns.value.map(({ column }) => {
      const spreads = alike(column).flatMap((c) => c.spread ?? [])
      if (!spreads.length) return undefined
      const yards = lookOf(column.measure).yard === 'mean' ? spreads.map((s) => s.mean) : []
      return spreads
        .map((s) => extent(s, yards))
        .reduce((a, b) => ({ low: Math.min(a.low, b.low), high: Math.max(a.high, b.high) }))
    }),
  )
  const scales = computed(() =>
    columns.value.map(({ column }): Scale | { fault: string } | undefined => {
      const spreads = alike(column).flatMap((c) => c.spread ?? [])
      if (kindAt(column) !== 'value' || !spreads.length) return undefined
      const all = spreads.reduce((a, b) => ({
        low: Math.min(a.low, b.low),
        p5: Math.min(a.p5, b.p5),
        median: (a.median + b.median) / 2,
        mean: (a.mean + b.mean) / 2,
        p95: Math.max(a.p95, b.p95),
        high: Math.max(a.high, b.high),
      }))
      return scaleOf(lookOf(column.measure), all, dials.value)
    }),
  )
  const scaleAt = (i: number) => {
    const s = scales.value[i]
    return s && !('fault' in s) ? s : undefined
  }
  /** The scales that are in use, each once, for the legend. */
  const legend = computed(() =>
    columns.value.flatMap(({ column }, i) => {
      const scale = scaleAt(i)
      const before = columns.value.findIndex(
        ({ column: c }) => c.measure === column.measure && !c.across === !column.across,
      )
      return scale && before === i
        ? [
            {
              title: across.value && !column.across ? `${column.title}, total` : column.title,
              unit: column.unit,
              good: column.good,
              scale,
            },
          ]
        : []
    }),
  )

  // Best and worst among the columns of a row leave out the total of what lies across.
  const valuesOfRow = (r: Row, c: Column) =>
    columns.value
      .filter(({ column: o }) => o.measure === c.measure && !o.across === !c.across)
      .map(({ at }) => r.cells[at]?.value)
  const inRow = (r: Row, c: Column, cell: Cell) => placeAmong(valuesOfRow(r, c), cell.value, c.good)
  const byRows = computed(
    () => words.best.value === 'rows' || (words.best.value === '' && words.over.value === 'months'),
  )
  const ranked = computed(() => {
    if (words.best.value === 'none' || words.over.value === 'rows') return 'none'
    if (byRows.value) return 'rows'
    if (words.best.value === 'columns' || words.best.value === 'three') return 'columns'
    return gathered.value ? 'columns' : 'none'
  })
  /** Best or worst, in words; '' is neither. */
  function rank(r: Row, { column, at }: At): string {
    const cell = r.cells[at]
    const first = words.best.value === 'three' ? 3 : 1
    if (ranked.value === 'rows') return periodic.value || one.value ? placeWords(inRow(r, column, cell), first) : ''
    if (ranked.value === 'none' || r.depth || !cell.place) return ''
    // Within groups only the ends are known.
    const places = gathered.value ? (cell.worst ? cell.place : Math.max(cell.place + first, 99)) : column.places
    return placeWords({ place: cell.place, of: places, shared: cell.tied }, first)
  }
  /** The place of a figure, for who asks. */
  function placeOf(r: Row, { column, at }: At): string {
    const cell = r.cells[at]
    if (!cell.place) return cell.why ?? ''
    const tied = cell.tied ? ', shared' : ''
    return gathered.value ? `rank ${cell.place} in its group${tied}` : `rank ${cell.place} of ${column.places}${tied}`
  }

  function tinted(r: Row, i: number): string | undefined {
    const { column, at } = columns.value[i]
    const cell = r.cells[at]
    const kind = kindAt(column)
    if (cell.value === undefined) return undefined
    if (kind === 'value') {
      const scale = scaleAt(i)
      return scale && tintOf(scale, cell.value, column.good)
    }
    const within =
      kind === 'rows'
        ? inRow(r, column, cell)
        : kind === 'places' && cell.place
          ? { place: cell.place, of: column.places }
          : undefined
    // By place, so that one record does not wash out the rest.
    if (!within?.place || within.of < 2) return undefined
    return tint('tide', Math.max(0, 1 - (within.place - 1) / (within.of - 1)))
  }

  function bar(r: Row, i: number): { bar: Bar; hue: 'tide' | 'amber' | 'muted' } | undefined {
    const { column, at } = columns.value[i]
    const cell = r.cells[at]
    const kind = kindAt(column)
    if (cell.value === undefined || r.depth || (kind !== 'bars' && kind !== 'range')) return undefined
    if (kind === 'range') {
      const s = column.spread
      if (!s) return undefined
      const share = s.high === s.low ? 0.5 : (cell.value - s.low) / (s.high - s.low)
      return { bar: barOf({ low: 0, high: 1 }, share), hue: 'tide' }
    }
    const reach = extents.value[i]
    if (!reach) return undefined
    const yard = yardAt(r, columns.value[i])
    const behind = yard !== undefined && (column.good === 'down' ? cell.value > yard : cell.value < yard)
    return { bar: barOf(reach, cell.value, yard), hue: behind ? 'amber' : 'tide' }
  }

  /** Which way a change goes, and whether that is good. */
  function direction(c: Column, cell: Cell): { sign: string; words: string; tone: string } | undefined {
    if (!c.signed || cell.value === undefined) return undefined
    if (cell.value === 0) return { sign: '→', words: 'level', tone: 'muted' }
    const up = cell.value > 0
    return { sign: up ? '↗' : '↘', words: up ? 'up' : 'down', tone: up === (c.good !== 'down') ? 'green' : 'red' }
  }

  // Marks stand on the cell of the measure that is marked, else beside the name.
  const silent = (r: Row | undefined) =>
    words.on.value === 'none' || (words.on.value === 'totals' && !!r && !r.depth && r.key !== 'all')
  const marksOn = (marks: Mark[] | undefined, r: Row | undefined, c?: Column) =>
    silent(r)
      ? []
      : (marks ?? []).filter((m) =>
          // Beside the name stand those of the newest period: those of all would hide it.
          c
            ? m.measure === c.measure && m.period === c.period && m.across === c.across
            : !m.measure && !m.across && m.period === columns.value.at(-1)?.column.period,
        )
  /** What the most serious mark of a cell colours beside its shape. */
  function coloured(marks: Mark[], what: 'tint' | 'figure' | 'row'): string | undefined {
    const found = marks.map((m) => grade(m.grade)).find((g) => g.cell === what)
    return found && `var(--${found.tone})`
  }
  const rowTint = (r: Row) => {
    const tone = silent(r) ? undefined : coloured(r.marks ?? [], 'row')
    return tone && `color-mix(in srgb, ${tone} 12%, transparent)`
  }

  const some = (test: (c: Column) => boolean) => columns.value.some(({ column }) => test(column))
  /** What stands below the table beside marks and scales. */
  const notes = computed(() => [
    ...(gathered.value ? ['Subtotals precede the rows of their group.'] : []),
    ...columns.value
      .filter(
        ({ column: c }, i) => c.groups && columns.value.findIndex(({ column: o }) => o.measure === c.measure) === i,
      )
      .map(({ column: c }) => `* Groups and the total of ${c.title}: ${c.groups}.`),
    ...(table.value?.rows.some((r) => columns.value.some((_, i) => bar(r, i)?.bar.cut))
      ? ['A bar with a gap is truncated (outlier).']
      : []),
    ...(some((c) => kindAt(c) === 'bars' && !!lookOf(c.measure).yard)
      ? ['The tick on a bar is its comparison value; a bar on the worse side of it is amber.']
      : []),
    ...(some((c) => kindAt(c) === 'range')
      ? ['Bars are percent of range: from the lowest to the highest of the column.']
      : []),
    ...(some((c) => kindAt(c) === 'line') ? ['Small lines are the last 13 periods, dots where they are marked.'] : []),
    ...(some((c) => kindAt(c) === 'places')
      ? [`Darker is a better rank in its ${gathered.value ? 'group' : 'column'}.`]
      : []),
    ...(some((c) => kindAt(c) === 'rows') ? ['Darker is a better rank in its row.'] : []),
    ...(ranked.value === 'rows' && (periodic.value || one.value)
      ? ['1st and last of each row; = is a place that is shared.']
      : ranked.value === 'columns'
        ? [`1st and last of each ${gathered.value ? 'group' : 'column'}; = is a place that is shared.`]
        : []),
    ...(some((c) => c.signed) ? ['↗ up, ↘ down, → level: green is the good way.'] : []),
  ])
  return { kindAt, scales, legend, rank, placeOf, tinted, bar, direction, marksOn, coloured, rowTint, notes }
}

export type Drawing = ReturnType<typeof useDrawing>
