import { flushPromises } from '@vue/test-utils'
import { beforeEach, expect, it, vi } from 'vitest'

const service = vi.hoisted(() => {
  const s = {
    views: [] as object[],
    who: { name: 'ana', role: 'analyst', desks: [] as string[], may: [] as string[] },
    refuse: '',
    asked: [] as { method: string; path: string; body: object }[],
  }
  globalThis.fetch = (async (request: Request) => {
    const path = new URL(request.url).pathname
    if (request.method === 'GET') return Response.json(path === '/api/session' ? s.who : s.views)
    const text = await request.clone().text()
    s.asked.push({ method: request.method, path, body: text ? JSON.parse(text) : {} })
    if (s.refuse)
      return Response.json(
        { type: 'urn:oskel:name-taken', title: 'Refused', detail: s.refuse, status: 409 },
        { status: 409, headers: { 'Content-Type': 'application/problem+json' } },
      )
    return request.method === 'DELETE' ? new Response(null, { status: 204 }) : Response.json({ id: 9 })
  }) as typeof fetch
  return s
})

import { show } from '@/lib/inside'
import ViewsSelect from '@/parts/exceptions/ViewsSelect.vue'

const mine = { id: 1, name: 'Act first', owner: 'ana', shared: false, query: { grade: 'act', sort: 'stake' } }
const others = { id: 2, name: 'For all', owner: 'lea', shared: true, query: { rule: 'behind' } }
const shown = async (query: object) => {
  const { page } = await show(ViewsSelect, { query })
  await flushPromises()
  return page
}
const button = (page: Awaited<ReturnType<typeof shown>>, text: string) =>
  page.findAll('button').find((b) => b.text() === text)
beforeEach(() => {
  service.views = [mine, others]
  service.who = { name: 'ana', role: 'analyst', desks: [], may: [] }
  service.refuse = ''
  service.asked = []
})

it('shows the view that says what the page does, in whatever order it says it', async () => {
  const page = await shown({ sort: 'stake', grade: 'act', text: '', descending: false })
  expect(page.text()).toContain('Act first')
  expect(button(page, 'Save view')).toBeUndefined()
  await page.setProps({ query: { sort: 'stake', grade: 'look' } })
  expect(page.text()).toContain('No view')
  expect(button(page, 'Save view')).toBeDefined()
})

it('keeps what the page shows, by a name', async () => {
  service.views = []
  const page = await shown({ grade: 'act' })
  await button(page, 'Save view')!.trigger('click')
  await page.get('input:not([type])').setValue('Mine')
  await page.get('input[type=checkbox]').setValue(true)
  await page.get('form').trigger('submit')
  await flushPromises()
  expect(service.asked).toEqual([
    {
      method: 'POST',
      path: '/api/views',
      body: { name: 'Mine', of: 'exceptions', shared: true, query: { grade: 'act' } },
    },
  ])
  expect(page.find('form').exists()).toBe(false)
})

it('says why a name is refused, and keeps what was typed', async () => {
  service.refuse = 'Lea shares a view of this name.'
  const page = await shown({ grade: 'act' })
  await button(page, 'Save view')!.trigger('click')
  await page.get('input:not([type])').setValue('For all')
  await page.get('form').trigger('submit')
  await flushPromises()
  expect(page.get('[role=alert]').text()).toContain('Lea shares a view of this name.')
  expect((page.get('input:not([type])').element as HTMLInputElement).value).toBe('For all')
})

it("offers to forget one's own, and of others' only what a lead may", async () => {
  expect(button(await shown(mine.query), 'Delete view')).toBeDefined()
  expect(button(await shown(others.query), 'Delete view')).toBeUndefined()
  service.who = { name: 'ole', role: 'lead', desks: [], may: ['changeOthers'] }
  const page = await shown(others.query)
  await button(page, 'Delete view')!.trigger('click')
  await flushPromises()
  expect(service.asked).toEqual([{ method: 'DELETE', path: '/api/views/2', body: {} }])
})

it('says when a view cannot be forgotten', async () => {
  service.refuse = 'There is no such view any more.'
  const page = await shown(mine.query)
  await button(page, 'Delete view')!.trigger('click')
  await flushPromises()
  expect(page.get('[role=alert]').text()).toContain('There is no such view any more.')
})
