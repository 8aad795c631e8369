import { afterEach, beforeEach, expect, it, vi } from 'vitest'

import { inside } from './inside'
import { useLive } from './live'
import { stale } from './queries'

/** The stream of what happens, as the page under test has opened it. */
class Stream {
  static last: Stream
  hears: Record<string, (e: { data: string }) => void> = {}
  closed = false
  constructor(readonly url: string) {
    Stream.last = this
  }
  addEventListener(name: string, heard: (e: { data: string }) => void) {
    this.hears[name] = heard
  }
  close() {
    this.closed = true
  }
  tell(what: string) {
    this.hears.changed({ data: JSON.stringify({ what }) })
  }
}

let hidden = false
beforeEach(() => {
  vi.useFakeTimers()
  vi.stubGlobal('EventSource', Stream)
  hidden = false
  vi.spyOn(document, 'hidden', 'get').mockImplementation(() => hidden)
})
afterEach(() => {
  vi.useRealTimers()
  vi.unstubAllGlobals()
  vi.restoreAllMocks()
})

async function listening() {
  const { page, queries } = await inside(() => useLive(['case_events'], 'casesOfOthers'))
  const asked = vi.spyOn(queries, 'invalidateQueries')
  const keys = () => asked.mock.calls.map(([of]) => (typeof of === 'object' ? of.queryKey?.[0] : undefined))
  return { page, keys }
}

it('asks anew for what hangs on a table, once for many changes', async () => {
  const { keys } = await listening()
  expect(Stream.last.url).toBe('/api/changes')
  for (let n = 0; n < 5; n++) Stream.last.tell('case_events')
  expect(keys()).toEqual([])
  await vi.advanceTimersByTimeAsync(1000)
  expect(keys()).toEqual(stale.casesOfOthers)
  Stream.last.tell('intakes')
  await vi.advanceTimersByTimeAsync(1000)
  expect(keys()).toHaveLength(stale.casesOfOthers.length)
  Stream.last.tell('all')
  await vi.advanceTimersByTimeAsync(1000)
  expect(keys()).toHaveLength(2 * stale.casesOfOthers.length)
})

it('asks anew when a stream that was cut comes again', async () => {
  const { keys } = await listening()
  Stream.last.hears.open({ data: '' })
  await vi.advanceTimersByTimeAsync(1000)
  expect(keys()).toEqual([])
  Stream.last.hears.open({ data: '' })
  await vi.advanceTimersByTimeAsync(1000)
  expect(keys()).toEqual(stale.casesOfOthers)
})

it('waits while nobody looks, and asks when somebody does again', async () => {
  const { keys } = await listening()
  hidden = true
  Stream.last.tell('case_events')
  await vi.advanceTimersByTimeAsync(5000)
  document.dispatchEvent(new Event('visibilitychange'))
  expect(keys()).toEqual([])
  hidden = false
  document.dispatchEvent(new Event('visibilitychange'))
  await vi.advanceTimersByTimeAsync(0)
  expect(keys()).toEqual(stale.casesOfOthers)
})

it('hears nothing more when the page is left', async () => {
  const { page, keys } = await listening()
  Stream.last.tell('case_events')
  page.unmount()
  await vi.advanceTimersByTimeAsync(5000)
  expect(Stream.last.closed).toBe(true)
  expect(keys()).toEqual([])
})
