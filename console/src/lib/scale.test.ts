import { describe, expect, it } from 'vitest'

import { reach, roundAxis } from './scale'

describe('how far a scale reaches', () => {
  it('goes to the largest where none stands far above', () => {
    expect(reach([1, 2, 3])).toEqual({ most: 3, cut: false })
    expect(reach([])).toEqual({ most: 0, cut: false })
    expect(reach([5])).toEqual({ most: 5, cut: false })
  })
  it('leaves out one record, and says so', () => {
    expect(reach([10, 12, 11, 204])).toEqual({ most: 12, cut: true })
    expect(reach([10, 12, 11, -204])).toEqual({ most: 12, cut: true })
  })
  it('does not leave out what is only three times as large, nor the larger of two', () => {
    expect(reach([1, 2, 6]).cut).toBe(false)
    expect(reach([1, 100]).cut).toBe(false)
  })
  it('leaves out a few of many', () => {
    const many = Array.from({ length: 60 }, (_, i) => 10 + (i % 5))
    expect(reach([...many, 900, 1000])).toEqual({ most: 14, cut: true })
  })
})

describe('an axis', () => {
  it('begins at zero where nothing is negative', () => {
    expect(roundAxis([120000, 180000, 150000]).min).toBe(0)
    expect(roundAxis([52, 61], [60]).min).toBe(0)
  })
  it('reaches below zero where something is', () => expect(roundAxis([-20, 30]).min).toBeLessThanOrEqual(-20))
  it('holds every cut and every value but a record', () => {
    const axis = roundAxis([10, 12, 11, 204], [15])
    expect(axis.max).toBeGreaterThanOrEqual(15)
    expect(axis.max).toBeLessThan(204)
  })
  it('is no point where all is zero', () => expect(roundAxis([0, 0]).max).toBeGreaterThan(0))
  it('ends at zero where all is below', () => expect(roundAxis([-4, -9]).max).toBe(0))
})
