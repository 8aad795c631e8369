import { describe, expect, it } from 'vitest'

import { dayNumber, eventsOf, pastOf, ratio } from './evidence'

describe('what evidence says', () => {
  it('reads rationals of any length', () => {
    expect(ratio('3/4')).toBe(0.75)
    expect(ratio('-7')).toBe(-7)
    expect(ratio(undefined)).toBeUndefined()
    expect(ratio(`${'1'.repeat(400)}/${'2'.repeat(400)}`)).toBeCloseTo(0.5, 9)
    expect(ratio('1/0')).toBeUndefined()
  })

  it('keeps what is missing missing', () => {
    const past = pastOf({
      past: {
        values: [
          { period: '2026-09', why: 'no lines' },
          { period: '2026-10', value: '5/2', marked: true },
        ],
        centre: '2',
      },
    })
    expect(past?.points[0].value).toBeUndefined()
    expect(past?.points[1]).toEqual({ period: '2026-10', value: 2.5, fitted: undefined, marked: true })
    expect(past?.high).toBeUndefined()
    expect(pastOf({})).toBeUndefined()
  })

  it('has windows without lines', () => {
    const events = eventsOf({
      events: { lines: [], windows: [{ first: '2026-10-01', last: '2026-10-04' }], as_of: '2026-10-31' },
    })
    expect(events?.windows[0].broke).toBe(false)
    expect(eventsOf({ events: { lines: [], as_of: '2026-10-31' } })).toBeUndefined()
    expect(dayNumber('1970-01-02')).toBe(1)
  })
})
