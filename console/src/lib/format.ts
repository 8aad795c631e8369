// As the service writes them; what a browser makes of them differs.
const short = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec']

/** Words for days, moments and numbers, the same everywhere. */
export function dayWords(iso: string): string {
  const d = new Date(iso.length === 10 ? `${iso}T00:00:00` : iso)
  return `${d.getDate()} ${short[d.getMonth()]} ${d.getFullYear()}`
}

export function momentWords(iso: string): string {
  const d = new Date(iso)
  return `${dayWords(iso)}, ${d.toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' })}`
}

/** What is at stake by kind, which is not added up: of one kind the amount alone. */
export const stakeWords = (all: { title: string; stake: string }[]) =>
  all
    .filter((s) => Number(s.stake))
    .map((s) => numberWords(Number(s.stake), 'money') + (all.length > 1 ? ` in ${s.title.toLowerCase()}` : ''))
    .join(', ')

/** A drawn number in its unit; with a step, in as many places as tell two of an
 *  axis apart. Figures that must be exact come as words from the service. */
export function numberWords(value: number, unit: string, step?: number): string {
  const places = (factor: number, usual: number) =>
    step ? Math.min(6, Math.max(0, -Math.floor(Math.log10(step * factor) + 1e-9))) : usual
  const write = (v: number, n: number) =>
    v.toLocaleString('en-GB', { maximumFractionDigits: n, minimumFractionDigits: step ? n : 0 })
  switch (unit) {
    case 'percent':
      return `${write(value * 100, places(100, 1))}%`
    case 'days':
      return `${write(value, places(1, 0))} days`
    default:
      return write(value, places(1, Math.abs(value) < 100 ? 1 : 0))
  }
}

export function countWords(n: number, one: string, many = one + 's'): string {
  return `${n.toLocaleString('en-GB')} ${n === 1 ? one : many}`
}

/** "Oct 2026" for 2026-10; what is no month stays as it is. */
export function monthWords(period: string): string {
  if (!/^\d{4}-\d{2}$/.test(period)) return period
  return `${short[Number(period.slice(5)) - 1] ?? period.slice(5)} ${period.slice(0, 4)}`
}

/** A period in few letters, below others of its kind: "Oct", "W44", "Q4"; with its year where asked. */
export function shortPeriod(period: string, label: string, withYear: boolean): string {
  const [year, part] = period.split('-')
  if (/^\d{4}-\d{2}$/.test(period)) return withYear ? label.replace(/(\w+) 20(\d\d)/, '$1 ’$2') : label.slice(0, 3)
  if (/^\d{4}-[PQWH]\d+$/.test(period)) return withYear ? `${part} ’${year.slice(2)}` : part
  if (/^\d{4}-\d{2}-\d{2}$/.test(period)) return label.replace(/ \d{4}$/, '')
  return label
}

/** The day that was written, as 2026-10-31: "31 Oct 2026", "31 October 2026" or 2026-10-31; undefined where it is none. */
export function dayOf(words: string): string | undefined {
  const iso = /^(\d{4})-(\d{1,2})-(\d{1,2})$/.exec(words.trim())
  const said = /^(\d{1,2})\.?\s+([A-Za-z]{3,9})\.?\s+(\d{4})$/.exec(words.trim())
  const month = said
    ? short.findIndex((m) => m.toLowerCase() === said[2].slice(0, 3).toLowerCase()) + 1
    : Number(iso?.[2])
  const [year, day] = said ? [said[3], said[1]] : [iso?.[1], iso?.[3]]
  if (!year || !day || !month) return undefined
  const out = `${year}-${String(month).padStart(2, '0')}-${day.padStart(2, '0')}`
  // The 31st of February is no day, though Date makes one of it.
  const date = new Date(`${out}T00:00:00Z`)
  return !Number.isNaN(date.getTime()) && date.toISOString().startsWith(out) ? out : undefined
}
