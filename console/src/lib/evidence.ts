/** What evidence says of a subject's own past, and of dated lines, as numbers to draw. */

/** A rational, "a/b" or "a", as a number. */
export function ratio(text: unknown): number | undefined {
  if (typeof text === 'number') return text
  if (typeof text !== 'string') return undefined
  const [over, under = '1'] = text.split('/')
  // Long ones are cut to what a number holds, both by as many digits.
  const spare = Math.max(0, Math.max(over.length, under.length) - 300)
  const value = Number(over.slice(0, over.length - spare)) / Number(under.slice(0, under.length - spare) || '1')
  return Number.isFinite(value) ? value : undefined
}

export interface PastPoint {
  period: string
  value?: number
  fitted?: number
  marked: boolean
}
export interface Past {
  points: PastPoint[]
  centre?: number
  low?: number
  high?: number
  since?: string
}

interface RawPast {
  values: { period: string; value?: string; fitted?: string; marked?: boolean }[]
  centre?: string
  low?: string
  high?: string
  since?: string
}

export function pastOf(evidence: Record<string, unknown>): Past | undefined {
  const raw = evidence.past as RawPast | undefined
  if (!raw?.values?.length) return undefined
  return {
    points: raw.values.map((v) => ({
      period: v.period,
      value: ratio(v.value),
      fitted: ratio(v.fitted),
      marked: v.marked ?? false,
    })),
    centre: ratio(raw.centre),
    low: ratio(raw.low),
    high: ratio(raw.high),
    since: raw.since,
  }
}

export interface EventLine {
  day: string
  feed: string
  role?: string
  amount?: number
}
export interface EventWindow {
  first: string
  last: string
  role?: string
  broke: boolean
}
export interface Events {
  lines: EventLine[]
  windows: EventWindow[]
  asOf: string
  more: number
}

interface RawEvents {
  lines?: { day: string; feed: string; role?: string; amount?: string }[]
  windows?: { first: string; last: string; role?: string; broke?: boolean }[]
  as_of: string
  more?: number
}

export function eventsOf(evidence: Record<string, unknown>): Events | undefined {
  const raw = evidence.events as RawEvents | undefined
  if (!raw || (!raw.lines?.length && !raw.windows?.length)) return undefined
  return {
    lines: (raw.lines ?? []).map((l) => ({ ...l, amount: ratio(l.amount) })),
    windows: (raw.windows ?? []).map((w) => ({ ...w, broke: w.broke ?? false })),
    asOf: raw.as_of,
    more: raw.more ?? 0,
  }
}

/** Days since 1970 of an ISO day. */
export const dayNumber = (iso: string) => Math.round(Date.parse(`${iso}T00:00:00Z`) / 86_400_000)
