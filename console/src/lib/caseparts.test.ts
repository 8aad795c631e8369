import { expect, test } from 'vitest'

import { namesIn } from './caseparts'

test('who is named in a text, as the service reads it', () => {
  expect(namesIn('Could @ines look, or @sig.')).toEqual([
    { text: 'Could ', name: false },
    { text: '@ines', name: true },
    { text: ' look, or ', name: false },
    { text: '@sig', name: true },
    { text: '.', name: false },
  ])
  expect(namesIn('mail a@b.com <b>')).toEqual([{ text: 'mail a@b.com <b>', name: false }])
  expect(namesIn('@a-')).toEqual([
    { text: '@a', name: true },
    { text: '-', name: false },
  ])
  expect(namesIn('')).toEqual([])
})
