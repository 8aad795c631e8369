import { flushPromises } from '@vue/test-utils'
import { expect, it, vi } from 'vitest'

import { inside } from './inside'
import { useQueryWord } from './query'
import { useTyped } from './typed'

it('does not lose the first of two quick changes', async () => {
  const { out, router } = await inside(() => ({ grade: useQueryWord('grade'), rule: useQueryWord('rule') }))
  // The second comes while the first is under way.
  out.grade.value = 'act'
  out.rule.value = 'thin'
  await flushPromises()
  expect(router.currentRoute.value.query).toEqual({ grade: 'act', rule: 'thin' })
  out.grade.value = ''
  await flushPromises()
  expect(router.currentRoute.value.query).toEqual({ rule: 'thin' })
})

it('what is typed reaches the address once the hand rests, and not after the page is left', async () => {
  vi.useFakeTimers()
  const { out, router, page } = await inside(() => useTyped(useQueryWord('text')))
  out.value = 'fair'
  await vi.advanceTimersByTimeAsync(100)
  out.value = 'fairleadow '
  await vi.advanceTimersByTimeAsync(300)
  expect(router.currentRoute.value.query).toEqual({ text: 'fairleadow' })
  out.value = 'other'
  await vi.advanceTimersByTimeAsync(10)
  const replace = vi.spyOn(router, 'replace')
  page.unmount()
  await vi.advanceTimersByTimeAsync(1000)
  expect(replace).not.toHaveBeenCalled()
  vi.useRealTimers()
})
