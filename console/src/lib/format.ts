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

/** A drawn number in its unit; figures that must be exact come as words from the service. */
export function numberWords(value: number, unit: string): string {
  switch (unit) {
    case 'percent':
      return `${(value * 100).toLocaleString('en-GB', { maximumFractionDigits: 1 })}%`
    case 'days':
      return `${value.toLocaleString('en-GB', { maximumFractionDigits: 0 })} days`
    default:
      return value.toLocaleString('en-GB', { maximumFractionDigits: Math.abs(value) < 100 ? 1 : 0 })
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
