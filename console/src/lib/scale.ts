/**
 * How far a scale reaches so that one record does not flatten the rest: the
 * largest of the values, unless the few largest stand far above all others, by
 * more than three times; then the largest of the others.
 */
export function reach(values: number[]): { most: number; cut: boolean } {
  const sizes = values.map(Math.abs).sort((a, b) => b - a)
  const most = sizes[0] ?? 0
  const few = Math.max(1, Math.floor(sizes.length / 30))
  for (let i = 1; i <= few && i < sizes.length - 1; i++) {
    if (sizes[i] > 0 && sizes[i - 1] > 3 * sizes[i]) return { most: sizes[i], cut: true }
  }
  return { most, cut: false }
}

/**
 * An axis that begins and ends on a round step, with a little room. Where
 * nothing is below zero it begins there; a record far beyond the rest and the
 * cuts lies outside it.
 */
export function roundAxis(values: number[], cuts: number[] = []) {
  const above = reach([...values.filter((v) => v > 0), ...cuts.filter((c) => c > 0)]).most
  const below = -reach([...values.filter((v) => v < 0), ...cuts.filter((c) => c < 0)]).most
  const high = Math.max(0, above)
  const low = Math.min(0, below)
  const room = (high - low || 1) * 0.08
  const rough = (high - low + room) / 4
  const power = 10 ** Math.floor(Math.log10(rough))
  const interval = [1, 2, 5, 10].map((n) => n * power).find((n) => n >= rough)!
  return {
    min: low < 0 ? Math.floor((low - room) / interval) * interval : 0,
    max: high > 0 || low === 0 ? Math.ceil((high + room) / interval) * interval : 0,
    interval,
  }
}
