import { flushPromises } from '@vue/test-utils'
import { beforeEach, expect, it, vi } from 'vitest'

const service = vi.hoisted(() => {
  const s = { book: Promise.resolve<object>({}), intakes: [] as string[] }
  globalThis.fetch = (async () => Response.json(await s.book)) as typeof fetch
  return s
})

import { show } from '@/lib/inside'
import IntakeForm from '@/parts/data/IntakeForm.vue'

const book = {
  feeds: [{ name: 'sales', title: 'Order lines' }],
  kinds: [{ name: 'rep', title: 'Rep', plural: 'Reps' }],
  grades: [],
  desks: [],
}
const drop = async (page: Awaited<ReturnType<typeof show>>['page'], name: string, text: string) => {
  const event = new Event('drop', { bubbles: true, cancelable: true })
  Object.assign(event, { dataTransfer: { files: [new File([text], name)] } })
  page.get('label').element.dispatchEvent(event)
  for (let i = 0; i < 5; i++) await flushPromises()
  await new Promise((done) => setTimeout(done, 20)) // a file is read outside of Vue
  await flushPromises()
}
const button = (page: Awaited<ReturnType<typeof show>>['page']) => page.get('form .button-main')
beforeEach(() => (service.book = Promise.resolve(book)))

it('tells what a file is once the rulebook has come, though it was dropped before', async () => {
  let come: (book: object) => void = () => {}
  service.book = new Promise((done) => (come = done))
  const { page } = await show(IntakeForm)
  await drop(page, 'reps.csv', 'rep,name\n')
  expect(button(page).attributes('disabled')).toBeDefined()
  come(book)
  await new Promise((done) => setTimeout(done, 20))
  await flushPromises()
  expect((page.get('#intake-what').element as HTMLSelectElement).value).toBe('register:rep')
  expect(button(page).attributes('disabled')).toBeUndefined()
})

it('asks for the period that is replaced, and for the key that is corrected', async () => {
  const { page } = await show(IntakeForm)
  await drop(page, 'sales.csv', 'day,rep,net\n')
  expect(button(page).attributes('disabled')).toBeUndefined()
  for (const [mode, field] of [
    ['replace', 'The period that is replaced'],
    ['correct', 'The column that holds the key'],
  ]) {
    await page.get('[aria-label="How to load the lines"]').setValue(mode)
    expect(button(page).attributes('disabled')).toBeDefined()
    await page.get(`[aria-label="${field}"]`).setValue('  ')
    expect(button(page).attributes('disabled')).toBeDefined()
    await page.get(`[aria-label="${field}"]`).setValue('x')
    expect(button(page).attributes('disabled')).toBeUndefined()
  }
  // A register knows no such choice.
  await page.get('#intake-what').setValue('register:rep')
  expect(page.find('[aria-label="How to load the lines"]').exists()).toBe(false)
  expect(button(page).attributes('disabled')).toBeUndefined()
})

it('says that a rulebook comes first', async () => {
  service.book = Promise.resolve({ ...book, feeds: [], kinds: [] })
  const { page } = await show(IntakeForm)
  await drop(page, 'sales.csv', 'day,rep,net\n')
  expect(page.text()).toContain('No rulebook is published yet')
  expect(page.find('form').exists()).toBe(false)
})

it('holds the file that was dropped last', async () => {
  const { page } = await show(IntakeForm)
  await drop(page, 'sales.csv', 'day,rep,net\n')
  await drop(page, 'reps.csv', 'rep,name\n')
  expect(page.text()).toContain('reps.csv')
  expect((page.get('#intake-what').element as HTMLSelectElement).value).toBe('register:rep')
})
