import { describe, expect, test } from 'vitest'

import {
  barOf,
  extent,
  placeAmong,
  placeWords,
  plainLook,
  pointOf,
  readLooks,
  scaleOf,
  tintOf,
  writeLooks,
} from './looks'

const spread = { low: -10, p5: 0, median: 50, p95: 100, high: 200, mean: 60 }
const dials = [{ name: 'margin_floor', value: '22%' }] as never[]

describe('looks of columns', () => {
  test('are what they were once written and read', () => {
    const looks = {
      revenue: { ...plainLook('bars'), yard: 'target' as const },
      'growth(revenue, 1 year)': { kind: 'value' as const, low: '-10%', middle: '0', high: 'p95', yard: '' as const },
    }
    expect(readLooks(writeLooks(looks))).toEqual(looks)
    expect(readLooks('revenue~loud;~bars;x~bars~~~~moon')).toEqual({ x: plainLook('bars') })
  })
  test('points are numbers, percentiles and dials', () => {
    expect(pointOf('1,200.5', spread, dials)).toBe(1200.5)
    expect(pointOf('-3%', spread, dials)).toBe(-0.03)
    expect(pointOf('p95', spread, dials)).toBe(100)
    expect(pointOf('margin_floor', spread, dials)).toBe(0.22)
    expect(pointOf('loud', spread, dials)).toBeUndefined()
  })
  test('a scale keeps clear of records, and says what is wrong', () => {
    expect(scaleOf(plainLook('value'), spread, dials)).toEqual({ low: 0, middle: undefined, high: 100 })
    const fault = (part: object) => scaleOf({ ...plainLook('value'), ...part }, spread, dials)
    expect(fault({ low: '120' })).toEqual({ fault: 'The points of a scale rise: from, middle, to.' })
    expect(fault({ middle: '-1' })).toEqual({ fault: 'The points of a scale rise: from, middle, to.' })
    expect(fault({ high: 'far' })).toHaveProperty('fault', expect.stringContaining('To: expected a number'))
  })
  test('one hue darkens to the better end, two part at the middle', () => {
    const strength = (s: string) => Number(/(\d+)%/.exec(s)![1])
    const one = { low: 0, high: 100 }
    expect([-5, 0, 50, 100, 900].map((v) => strength(tintOf(one, v, 'up')))).toEqual([0, 0, 19, 38, 38])
    expect(strength(tintOf(one, 0, 'down'))).toBe(38)
    const two = { low: -10, middle: 0, high: 20 }
    expect(tintOf(two, 20, 'up')).toContain('tide')
    expect(tintOf(two, -10, 'up')).toContain('amber) 38%')
    expect(tintOf(two, -5, 'down')).toContain('tide) 19%')
    expect(strength(tintOf(two, 0, 'up'))).toBe(0)
    expect(strength(tintOf({ low: 3, high: 3 }, 3, 'up'))).toBe(38)
  })
  test('bars begin at zero, negative ones to its left, and say that they are cut', () => {
    const e = extent({ low: -50, p5: -50, median: 10, p95: 100, high: 150, mean: 20 })
    expect(e).toEqual({ low: -50, high: 150 })
    expect(barOf(e, 50)).toMatchObject({ left: 0.25, width: 0.25, zero: 0.25, cut: false })
    expect(barOf(e, -50)).toMatchObject({ left: 0, width: 0.25 })
    expect(barOf(e, 50, 100).yard).toBe(0.75)
    const far = extent({ low: 1, p5: 2, median: 10, p95: 20, high: 900, mean: 30 })
    expect(far).toEqual({ low: 0, high: 20 })
    expect(barOf(far, 900)).toMatchObject({ width: 1, cut: true })
    expect(barOf(extent({ low: 0, p5: 0, median: 0, p95: 0, high: 0, mean: 0 }), 0).width).toBe(0)
  })
  test('places leave out what is missing, and say who shares one', () => {
    const row = [3, undefined, 5, 5, 1]
    expect(placeAmong(row, 5, 'up')).toEqual({ place: 1, of: 3, shared: true })
    expect(placeAmong(row, 1, 'down').place).toBe(1)
    expect(placeAmong(row, undefined, 'up').place).toBe(0)
    const words = (v: number, first: number) => placeWords(placeAmong([9, 8, 7, 6, 5], v, 'up'), first)
    expect([9, 8, 7, 6, 5].map((v) => words(v, 1))).toEqual(['1st', '', '', '', 'last'])
    expect([9, 8, 7, 6, 5].map((v) => words(v, 2))).toEqual(['1st', '2nd', '', 'last but 1', 'last'])
    expect(placeWords(placeAmong([4, 4, 3, 2], 4, 'up'), 1)).toBe('=1st')
    expect(placeWords(placeAmong([4, 3], 3, 'up'), 1)).toBe('')
  })
})
