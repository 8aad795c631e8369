import { expect, it } from 'vitest'

import { show } from '@/lib/inside'
import DateField from '@/parts/ui/DateField.vue'

const field = async (modelValue?: string) => {
  const { page } = await show(DateField, { label: 'As of', modelValue })
  const type = async (text: string) => {
    await page.get('input[aria-label]').setValue(text)
    await page.get('input[aria-label]').trigger('change')
  }
  return { page, type, shown: () => (page.get('input[aria-label]').element as HTMLInputElement).value }
}

it('writes a day as everywhere else, and follows when it is another', async () => {
  const { page, shown } = await field('2026-10-31')
  expect(shown()).toBe('31 Oct 2026')
  await page.setProps({ modelValue: '2026-09-01' })
  expect(shown()).toBe('1 Sep 2026')
  await page.setProps({ modelValue: undefined })
  expect(shown()).toBe('')
})

it('gives the day that was written, and none where it was emptied', async () => {
  const { page, type, shown } = await field('2026-10-31')
  await type('5 november 2026')
  expect(shown()).toBe('5 Nov 2026')
  await type('')
  expect(page.emitted('update:modelValue')).toEqual([['2026-11-05'], [undefined]])
})

it('keeps what is no day, says so, and gives nothing', async () => {
  const { page, type, shown } = await field('2026-10-31')
  await type('31 Feb 2026')
  expect(shown()).toBe('31 Feb 2026')
  expect(page.get('[role=alert]').text()).toContain('a day, such as 3')
  expect(page.emitted('update:modelValue')).toBeUndefined()
})
