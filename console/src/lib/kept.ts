import type { Schemas } from './api'
import { usual, type FigureTable } from './table'

type Kept = Schemas['TableQuery']

/** Words of the address that say how a table is drawn, which no question to the service has. */
const drawing = ['shade', 'looks', 'best', 'on', 'over', 'light', 'flagged'] as const

/** Names and formulas parted by commas, but not those within brackets. */
export function parted(measures: string): string[] {
  let depth = 0
  const out = ['']
  for (const c of measures) {
    depth += c === '(' ? 1 : c === ')' ? -1 : 0
    if (c === ',' && !depth) out.push('')
    else out[out.length - 1] += c
  }
  return out.map((m) => m.trim()).filter(Boolean)
}

/** What is kept of the table that is shown: what it asks for, and how it is drawn. */
export function keptOf({ words, shown, question, periodic, back }: FigureTable, above: string): Kept {
  const q = question.value
  return {
    text_above: above || undefined,
    measures: shown.value.join(','),
    by: words.over.value === 'rows' ? words.by.value || undefined : q.by,
    groups: q.groups,
    across: q.across,
    period: words.zone.value || undefined,
    periods: periodic.value ? back.value : undefined,
    text: words.text.value || undefined,
    rows: q.rows,
    where: q.where,
    flagged: q.flagged,
    with_figures: q.with_figures,
    marks: q.marks,
    dials: q.dials,
    sort: q.sort,
    descending: q.descending,
    drawn: Object.fromEntries(
      drawing.filter((w) => words[w].value && !(w === 'over' && q.across)).map((w) => [w, words[w].value]),
    ),
  }
}

/** The words of the address under which a kept table is shown. */
export function addressOf(k: Kept): Record<string, string> {
  const all = parted(k.measures)
  const formulas = all.filter((m) => !/^[\p{L}_][\p{L}\d_-]*$/u.test(m))
  const periods = k.periods ?? 1
  const words: Record<string, string | undefined> = {
    ...k.drawn,
    measures: all.filter((m) => !formulas.includes(m)).join(','),
    formula: formulas.join(','),
    by: k.by,
    groups: k.groups,
    over: k.across ?? k.drawn?.over ?? (periods < 2 ? '' : all.length > 1 ? 'both' : 'months'),
    back: periods > 1 && periods !== usual ? String(periods) : '',
    window: k.period,
    text: k.text,
    rows: k.rows,
    where: k.where,
    flagged: k.flagged ? 'yes' : k.drawn?.flagged,
    without: k.with_figures === undefined ? '' : k.with_figures ? 'hidden' : 'shown',
    dials: k.dials,
    marks: k.marks === 'recorded' ? '' : k.marks,
    sort: k.sort === undefined ? '0' : String(k.sort),
    up: k.descending ? '' : 'yes',
  }
  return Object.fromEntries(Object.entries(words).filter((e): e is [string, string] => !!e[1]))
}
