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
    return request.method === 'POST' || (path.endsWith('mia') && request.method === 'PUT')
      ? Response.json({ name: 'mia' })
      : new Response(null, { status: 204 })
  }) as typeof fetch
  return s
})

import { show } from '@/lib/inside'
import PersonForm from './PersonForm.vue'

const mia = { name: 'mia', title: 'Mia', role: 'reviewer', desks: ['north'] }
const rob = { name: 'rob', title: 'Rob', role: 'analyst', desks: [] }
const shown = async (person?: object) => {
  const { page } = await show(PersonForm, { person })
  await flushPromises()
  return page
}
beforeEach(() => (service.asked = []))

it('adds an account with its name and first password', async () => {
  const page = await shown()
  const [name, title] = page.findAll('form input:not([type])')
  await name.setValue('mia')
  await title.setValue('Mia')
  await page.get('input[type=checkbox]').setValue(true)
  await page.get('input[type=password]').setValue('long enough')
  await page.get('form').trigger('submit')
  await flushPromises()
  expect(service.asked).toEqual([
    {
      method: 'POST',
      path: '/api/people',
      body: { name: 'mia', title: 'Mia', role: 'reviewer', desks: ['north'], password: 'long enough' },
    },
  ])
  expect(page.emitted('done')).toEqual([['mia']])
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

it('does not say of the next account what was done to the last', async () => {
  const page = await shown(mia)
  await page.findAll('form')[1].get('input').setValue('another long one')
  await page.findAll('form')[1].trigger('submit')
  await flushPromises()
  expect(service.asked).toEqual([
    { method: 'PUT', path: '/api/people/mia/password', body: { password: 'another long one' } },
  ])
  expect(page.text()).toContain('The password is changed.')
  await page.setProps({ person: rob })
  expect(page.text()).not.toContain('The password is changed.')
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
