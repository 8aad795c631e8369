/** Words for days, moments and numbers, the same everywhere. */
export function dayWords(iso: string): string {
  return new Date(iso.length === 10 ? `${iso}T00:00:00Z` : iso).toLocaleDateString('en-GB', {
    day: 'numeric',
    month: 'short',
    year: 'numeric',
    timeZone: iso.length === 10 ? 'UTC' : undefined,
  })
}

export function momentWords(iso: string): string {
  const d = new Date(iso)
  return `${dayWords(iso)}, ${d.toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' })}`
}

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
  return new Date(`${period}-01T00:00:00Z`).toLocaleDateString('en-GB', {
    month: 'short',
    year: 'numeric',
    timeZone: 'UTC',
  })
}
