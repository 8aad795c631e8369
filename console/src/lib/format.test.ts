import { describe, expect, it } from 'vitest'

import { countWords, dayOf, dayWords, monthWords, numberWords, shortPeriod } from './format'

describe('days', () => {
  it('are written as the service writes them', () => {
    expect(dayWords('2026-09-05')).toBe('5 Sep 2026')
    expect(monthWords('2026-09')).toBe('Sep 2026')
  })
  it.each(['2026-10-31', '2026-01-05', '2024-02-29'])('%s is read back as it was written', (iso) =>
    expect(dayOf(dayWords(iso))).toBe(iso),
  )
  it('are read as people write them', () => {
    expect(dayOf(' 3 October 2026 ')).toBe('2026-10-03')
    expect(dayOf('3. oct 2026')).toBe('2026-10-03')
    expect(dayOf('2026-1-5')).toBe('2026-01-05')
  })
  it.each(['31 Feb 2026', '2026-02-30', '31/10/2026', 'soon', '', '1 Foo 2026'])('%j is none', (text) =>
    expect(dayOf(text)).toBeUndefined(),
  )
})

it('writes numbers in their unit', () => {
  expect(numberWords(0.0726, 'percent')).toBe('7.3%')
  expect(numberWords(61, 'days')).toBe('61 days')
  expect(numberWords(1234567, 'money')).toBe('1,234,567')
  expect(numberWords(0.5, 'percent', 0.05)).toBe('50%')
})

it('says one and many', () => {
  expect(countWords(1, 'case')).toBe('1 case')
  expect(countWords(0, 'case')).toBe('0 cases')
  expect(countWords(1200, 'case')).toBe('1,200 cases')
})

it('names months and leaves the rest', () => {
  expect(monthWords('2026-10')).toBe('Oct 2026')
  expect(monthWords('spring-2026')).toBe('spring-2026')
})

it('says periods in few letters', () => {
  expect(shortPeriod('2026-10', 'Oct 2026', false)).toBe('Oct')
  expect(shortPeriod('2026-01', 'Jan 2026', true)).toBe('Jan ’26')
  expect(shortPeriod('2026-W44', 'week 44 of 2026', false)).toBe('W44')
  expect(shortPeriod('2026-Q4', 'Q4 2026', true)).toBe('Q4 ’26')
  expect(shortPeriod('2026-10-31', '31 Oct 2026', false)).toBe('31 Oct')
  expect(shortPeriod('spring-fair-2026', 'Spring fair 2026', false)).toBe('Spring fair 2026')
})
