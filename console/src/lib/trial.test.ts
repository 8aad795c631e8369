import { expect, test } from 'vitest'

import { readTrial, writeTrial } from './trial'

test('dials are written as the service reads them, but for those that stay', () => {
  const published = [
    { name: 'floor', value: '22%' },
    { name: 'drop', value: '40%' },
  ]
  expect(writeTrial({ floor: '23%', drop: '40%', gone: '1' }, published)).toBe('floor=23%')
  expect(writeTrial({ drop: '35%', floor: '21.5%' }, published)).toBe('floor=21.5%,drop=35%')
  expect(readTrial('floor=23%, drop=40%,nothing,=,x=')).toEqual({ floor: '23%', drop: '40%' })
})
