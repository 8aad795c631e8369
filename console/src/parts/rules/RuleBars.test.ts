import { expect, it } from 'vitest'

import { show } from '@/lib/inside'
import RuleBars from '@/parts/rules/RuleBars.vue'

const point = (month: number, flagged: number, swept = true) => ({
  period: `2026-${String(month).padStart(2, '0')}`,
  label: `${month}/2026`,
  swept,
  flagged,
  judged: 1200,
})
const bars = async (...points: ReturnType<typeof point>[]) => {
  const { page } = await show(RuleBars, { points, title: 'Thin margin' })
  return page.findAll('li')
}
const height = (bar: { element: Element }) => parseFloat((bar.element.children[2] as HTMLElement).style.height)

it('draws counts by their size, from nothing', async () => {
  const [none, half, most] = await bars(point(8, 0), point(9, 5), point(10, 10))
  expect(height(most) - height(none)).toBeCloseTo(2 * (height(half) - height(none)))
  expect(most.text()).toContain('10/2026: 10 flagged of 1,200 judged')
})

it('keeps no sweep apart from a sweep that flags nobody', async () => {
  const [none, not] = await bars(point(9, 0), point(10, 0, false))
  expect(none.element.children[1].textContent).toBe('0')
  expect(not.element.children[1].textContent).toBe('–')
  expect(not.attributes('title')).toBe('10/2026: not swept, or the rule was not there')
})
