import type { Schemas } from './api'
import { reach } from './scale'

/** How a column of figures is drawn. */
export const kinds = {
  bars: 'Bars',
  range: 'Percent of range',
  line: 'Line of 13 periods',
  places: 'Colour by rank',
  value: 'Colour by value',
  plain: 'Plain',
} as const
export type Kind = keyof typeof kinds

/** With what a figure is compared on its bar. */
export const yards = {
  '': 'No comparison value',
  target: 'Its target',
  mean: 'The average',
  year: 'A year before',
} as const
export type Yard = keyof typeof yards

/** The look of a column: of colour by value the points between which it runs, of bars the comparison value. */
export interface Look {
  kind: Kind
  low: string
  middle: string
  high: string
  yard: Yard
}

export const plainLook = (kind: Kind): Look => ({ kind, low: '', middle: '', high: '', yard: '' })

/** The looks that a URL names, by measure: what is not understood is left out. */
export function readLooks(text: string): Record<string, Look> {
  const out: Record<string, Look> = {}
  for (const part of text.split(';')) {
    const [measure, kind, low = '', middle = '', high = '', yard = ''] = part.split('~')
    if (measure && kind in kinds)
      out[measure] = { kind: kind as Kind, low, middle, high, yard: yard in yards ? (yard as Yard) : '' }
  }
  return out
}

export const writeLooks = (looks: Record<string, Look>) =>
  Object.entries(looks)
    .map(([m, l]) => [m, l.kind, l.low, l.middle, l.high, l.yard].join('~').replace(/~+$/, ''))
    .join(';')

/** A point of a scale: a number, a percentage, a percentile such as p5, low, high, median, mean, or a dial. */
export function pointOf(text: string, spread: Schemas['Spread'], dials: Schemas['Dial'][]): number | undefined {
  const word = text.trim().toLowerCase()
  if (word in spread) return spread[word as keyof Schemas['Spread']]
  const number = dials.find((d) => d.name === text.trim())?.value ?? text.trim()
  const plain = number.replaceAll(',', '')
  if (!/^-?\d+(\.\d+)?%?$/.test(plain)) return undefined
  return plain.endsWith('%') ? Number(plain.slice(0, -1)) / 100 : Number(plain)
}

export interface Scale {
  low: number
  middle?: number
  high: number
}

/**
 * The scale of a column by value. Unless stated it runs from the 5th to the 95th percentile, so
 * that one record does not wash out the rest. A fault says which point is wrong.
 */
export function scaleOf(look: Look, spread: Schemas['Spread'], dials: Schemas['Dial'][]): Scale | { fault: string } {
  const known = 'expected a number, a percentage, p5, p95, low, high, median, mean or a dial'
  const at = (text: string, usual: number) => (text.trim() ? pointOf(text, spread, dials) : usual)
  const low = at(look.low, spread.p5)
  const high = at(look.high, spread.p95)
  const middle = look.middle.trim() ? pointOf(look.middle, spread, dials) : undefined
  if (low === undefined) return { fault: `From: ${known}, found “${look.low}”.` }
  if (high === undefined) return { fault: `To: ${known}, found “${look.high}”.` }
  if (look.middle.trim() && middle === undefined) return { fault: `Middle: ${known}, found “${look.middle}”.` }
  if (low > high || (middle !== undefined && (middle < low || middle > high)))
    return { fault: 'The points of a scale rise: from, middle, to.' }
  return { low, middle, high }
}

/** The tint of a value on a scale: one hue, or two with a middle; darker is better where good is up. */
export function tintOf(scale: Scale, value: number, good: string): string {
  const within = (v: number, from: number, to: number) =>
    to === from ? 1 : Math.min(1, Math.max(0, (v - from) / (to - from)))
  if (scale.middle === undefined) {
    const share = within(value, scale.low, scale.high)
    return tint('tide', good === 'down' ? 1 - share : share)
  }
  const above = value >= scale.middle
  const share = above ? within(value, scale.middle, scale.high) : within(value, scale.middle, scale.low)
  return tint(above === (good !== 'down') ? 'tide' : 'amber', value === scale.middle ? 0 : share)
}

const most = 38 // percent, at which text keeps its contrast

export const tint = (hue: 'tide' | 'amber', share: number) =>
  `color-mix(in srgb, var(--${hue}) ${Math.round(most * share)}%, transparent)`

/** A bar within its cell, in shares of its width; cut says that it goes on. */
export interface Bar {
  left: number
  width: number
  zero: number
  cut: boolean
  yard?: number
}

/** How far the bars of a column reach on either side of zero: a record far beyond the rest does not flatten it. */
export function extent(spread: Schemas['Spread'], more: number[] = []): { low: number; high: number } {
  const all = [spread.low, spread.p5, spread.median, spread.p95, spread.high, ...more]
  const far =
    Math.max(Math.abs(spread.low), Math.abs(spread.high)) > 3 * Math.max(Math.abs(spread.p5), Math.abs(spread.p95))
  const end = far ? reach([spread.p5, spread.p95]).most : Infinity
  const clip = (v: number) => Math.min(end, Math.max(-end, v))
  return { low: Math.min(0, ...all.map(clip)), high: Math.max(0, ...all.map(clip)) }
}

export function barOf({ low, high }: { low: number; high: number }, value: number, yard?: number): Bar {
  const size = high - low || 1
  const place = (v: number) => (Math.min(high, Math.max(low, v)) - low) / size
  const zero = place(0)
  const end = place(value)
  return {
    left: Math.min(zero, end),
    width: Math.abs(end - zero),
    zero,
    cut: value > high * 1.0001 || value < low * 1.0001,
    yard: yard === undefined ? undefined : place(yard),
  }
}

/** The place of a value among those of its row, and whether others share it: 1 is the best. */
export function placeAmong(values: (number | undefined)[], value: number | undefined, good: string) {
  const there = values.filter((v): v is number => v !== undefined)
  const distinct = [...new Set(there)].sort((x, y) => (good === 'down' ? x - y : y - x))
  if (value === undefined) return { place: 0, of: distinct.length, shared: false }
  return {
    place: distinct.indexOf(value) + 1,
    of: distinct.length,
    shared: there.filter((v) => v === value).length > 1,
  }
}

/** "1st", "=2nd" where shared, "last"; nothing for the places between. */
export function placeWords(p: { place: number; of: number; shared?: boolean }, first: number): string {
  if (!p.place || p.of < 2) return ''
  const same = p.shared ? '=' : ''
  const ends = ['th', 'st', 'nd', 'rd']
  if (p.place <= first) return `${same}${p.place}${ends[p.place] ?? 'th'}`
  const fromEnd = p.of - p.place
  if (p.of < 3 || fromEnd >= first) return ''
  return fromEnd === 0 ? `${same}last` : `${same}last but ${fromEnd}`
}
