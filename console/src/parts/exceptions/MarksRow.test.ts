import { flushPromises } from '@vue/test-utils'
import { expect, it, vi } from 'vitest'

vi.hoisted(() => {
  globalThis.fetch = (async () =>
    Response.json({
      grades: [
        { name: 'act', label: 'Act', tone: 'red', shape: 'diamond' },
        { name: 'look', label: 'Look', tone: 'amber', shape: 'triangle' },
      ],
    })) as typeof fetch
})

import { show } from '@/lib/inside'
import { shapePath, shapePaths } from '@/lib/shapes'
import MarksRow from '@/parts/exceptions/MarksRow.vue'

const periods = ['2026-06', '2026-07', '2026-08', '2026-09', '2026-10']

it('draws a grade as its shape, a clearing as a ring, and nothing as a dash', async () => {
  const { page } = await show(MarksRow, { marks: ['', 'look', '-', '', 'act'], periods })
  await flushPromises()
  const each = page.findAll('g')
  expect(each.map((g) => g.element.firstElementChild!.tagName)).toEqual(['path', 'path', 'circle', 'path', 'path'])
  expect(each[1].get('path').attributes('d')).toBe(shapePath('triangle'))
  expect(each[4].get('path').attributes('d')).toBe(shapePath('diamond'))
  expect(each[4].get('path').attributes('fill')).not.toBe(each[1].get('path').attributes('fill'))
})

it('says the same in words, without what was not flagged', async () => {
  const { page } = await show(MarksRow, { marks: ['', 'look', '-', '', 'act'], periods })
  await flushPromises()
  expect(page.get('svg').attributes('aria-label')).toBe('Flagged in 2 of the last 5: Jul 2026 Look, Oct 2026 Act')
})

it('has a shape for whatever a grade carries', () => {
  const all = Object.values(shapePaths)
  expect(new Set(all).size).toBe(9)
  expect(shapePath('another')).toBe(shapePath('circle'))
})
