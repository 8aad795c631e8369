import { flushPromises } from '@vue/test-utils'
import { beforeEach, expect, it, vi } from 'vitest'

const service = vi.hoisted(() => {
  const s = { answer: {} as object, status: 200, asked: [] as URLSearchParams[] }
  globalThis.fetch = (async (request: Request) => {
    s.asked.push(new URL(request.url).searchParams)
    return Response.json(s.answer, { status: s.status })
  }) as typeof fetch
  return s
})

import { show } from '@/lib/inside'
import VarianceView from '@/parts/figures/VarianceView.vue'

const f = (value: number) => ({ value, text: String(value), exact: String(value) })
const part = (key: string, then: number | null, now: number | null) => ({
  key,
  name: `Customer ${key}`,
  then: then === null ? undefined : f(then),
  now: now === null ? undefined : f(now),
  change: f((now ?? 0) - (then ?? 0)),
  there: then === null ? 'new' : now === null ? 'gone' : 'both',
})
const walk = {
  title: 'Revenue',
  name: 'Rep One',
  axis: 'customer',
  before: 'Sep 2026',
  label: 'Oct 2026',
  then: f(100),
  now: f(70),
  change: f(-30),
  ratio: false,
  total: 5,
  parts: [part('A', 60, 10), part('B', null, 25), part('C', 5, null)],
  rest: f(0),
  effects: [],
  choices: [
    { name: 'customer', title: 'Customer' },
    { name: 'product', title: 'Product' },
  ],
}
const shown = async () => {
  const { page } = await show(VarianceView, {
    measure: 'revenue',
    from: 'before',
    by: 'rep',
    subject: 'R1',
    period: '2026-10',
  })
  await flushPromises()
  return page
}
beforeEach(() => {
  service.answer = walk
  service.status = 200
  service.asked = []
})

it('begins each step where the one before ended, and ends at the figure of now', async () => {
  const page = await shown()
  const bars = page.findAll('tbody tr').map((r) => {
    const { left, width } = (r.get('span.absolute').element as HTMLElement).style
    return { low: parseFloat(left), high: parseFloat(left) + parseFloat(width) }
  })
  const [before, a, b, c, rest, after] = bars
  expect(a.high).toBeCloseTo(before.high) // it falls from there
  expect(b.low).toBeCloseTo(a.low) // and rises from where that ended
  expect(c.high).toBeCloseTo(b.high)
  expect(rest.low).toBeCloseTo(c.low)
  expect(after.high).toBeCloseTo(c.low)
})

it('says what is missing as missing, and never as zero', async () => {
  const rows = (await shown()).findAll('tbody tr')
  expect(rows[2].findAll('td')[0].text()).toBe('–')
  expect(rows[2].text()).toContain('new')
  expect(rows[3].findAll('td')[1].text()).toBe('–')
  expect(rows[3].text()).toContain('gone')
  expect(rows[4].text()).toContain('2 others')
})

it('asks anew by other parts, from another time, and for more', async () => {
  const page = await shown()
  const [from, by] = page.findAll('select')
  await by.setValue('product')
  await from.setValue('usual')
  await page.get('button').trigger('click')
  await flushPromises()
  const last = service.asked.at(-1)!
  expect(last.get('parts')).toBe('product')
  expect(last.get('from')).toBe('usual')
  expect(Number(last.get('limit'))).toBeGreaterThan(Number(service.asked[0].get('limit')))
})

it('says why there is no walk, and still offers other questions', async () => {
  const page = await shown()
  service.status = 422
  service.answer = {
    type: 'urn:oskel:nothing-to-compare',
    title: 'Nothing',
    detail: 'Nothing to be compared with.',
    status: 422,
  }
  await page.findAll('select')[0].setValue('year before')
  await flushPromises()
  expect(page.text()).toContain('Nothing to be compared with.')
  expect(page.findAll('select')).toHaveLength(2)
})
