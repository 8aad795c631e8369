import { flushPromises } from '@vue/test-utils'
import { beforeEach, expect, it, vi } from 'vitest'

const service = vi.hoisted(() => {
  const s = { asked: [] as { method: string; path: string; body: object }[] }
  globalThis.fetch = (async (request: Request) => {
    const path = new URL(request.url).pathname
    if (request.method === 'GET')
      return Response.json(
        path === '/api/session'
          ? { name: 'lea', role: 'lead', desks: [] }
          : { desks: [{ name: 'north', title: 'North desk' }], kinds: [], grades: [] },
      )
    const text = await request.clone().text()
    s.asked.push({ method: request.method, path, body: text ? JSON.parse(text) : {} })
    if (request.method === 'POST')
      return Response.json(
        path.endsWith('/one-time-password')
          ? { one_time_password: 'spar-tack-keel-buoy', ends: '2026-11-05T10:00:00Z' }
          : { person: { name: 'mia' }, one_time_password: 'mast-tack-keel-buoy', ends: '2026-11-05T10:00:00Z' },
      )
    return path.endsWith('mia') && request.method === 'PUT'
      ? Response.json({ name: 'mia' })
      : new Response(null, { status: 204 })
  }) as typeof fetch
  return s
})

import { show } from '@/lib/inside'
import PersonForm from '@/parts/account/PersonForm.vue'

const mia = { name: 'mia', display_name: 'Mia', role: 'reviewer', desks: ['north'] }
const rob = { name: 'rob', display_name: 'Rob', role: 'analyst', desks: [] }
const shown = async (person?: object) => {
  const { page } = await show(PersonForm, { person })
  await flushPromises()
  return page
}
beforeEach(() => (service.asked = []))

it('adds an account, and is told its one-time password', async () => {
  const page = await shown()
  const [name, title] = page.findAll('form input:not([type])')
  await name.setValue('mia')
  await title.setValue('Mia')
  await page.get('input[type=checkbox]').setValue(true)
  await page.get('form').trigger('submit')
  await flushPromises()
  expect(service.asked).toEqual([
    {
      method: 'POST',
      path: '/api/people',
      body: { name: 'mia', display_name: 'Mia', role: 'reviewer', desks: ['north'] },
    },
  ])
  expect(page.emitted('done')).toEqual([['mia']])
  expect(page.emitted('update:told')).toEqual([
    [expect.objectContaining({ name: 'mia', password: 'mast-tack-keel-buoy' })],
  ])
})

it('keeps what is typed when the list is read anew, and begins anew with another account', async () => {
  const page = await shown(mia)
  const title = () => page.get('form input:not([type])').element as HTMLInputElement
  await page.get('form input:not([type])').setValue('Mia the Second')
  await page.setProps({ person: { ...mia } })
  expect(title().value).toBe('Mia the Second')
  await page.setProps({ person: rob })
  expect(title().value).toBe('Rob')
})

it('tells a one-time password of its account alone', async () => {
  const page = await shown(mia)
  await page
    .findAll('button')
    .find((b) => b.text() === 'Reset password')!
    .trigger('click')
  await flushPromises()
  expect(service.asked).toEqual([{ method: 'POST', path: '/api/people/mia/one-time-password', body: {} }])
  const [[told]] = page.emitted('update:told') as [[object]]
  await page.setProps({ told })
  expect(page.text()).toContain('spar-tack-keel-buoy')
  await page.setProps({ person: rob })
  expect(page.text()).not.toContain('spar-tack-keel-buoy')
})

it("asks once more before it closes an account, and never offers to close one's own", async () => {
  const page = await shown(mia)
  await page
    .findAll('button')
    .find((b) => b.text() === 'Close …')!
    .trigger('click')
  expect(service.asked).toEqual([])
  await page
    .findAll('button')
    .find((b) => b.text() === 'Close mia')!
    .trigger('click')
  await flushPromises()
  expect(service.asked).toEqual([{ method: 'DELETE', path: '/api/people/mia', body: {} }])
  const own = await shown({ name: 'lea', title: 'Lea', role: 'lead', desks: [] })
  expect(own.text()).not.toContain('Close the account')
})
