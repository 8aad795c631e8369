import { expect, test } from 'vitest'

import { addressOf, parted } from './kept'

test('names and formulas are parted outside brackets alone', () => {
  expect(parted('revenue, earlier(revenue, 1 year),margin_rate')).toEqual([
    'revenue',
    'earlier(revenue, 1 year)',
    'margin_rate',
  ])
  expect(parted('')).toEqual([])
})

test('a kept table of the command line is shown as it was asked for', () => {
  const words = addressOf({
    measures: 'revenue,growth(revenue, 1 year)',
    by: 'rep.territory',
    periods: 4,
    with_figures: true,
  })
  expect(words).toEqual({
    measures: 'revenue',
    formula: 'growth(revenue, 1 year)',
    by: 'rep.territory',
    over: 'both',
    back: '4',
    without: 'hidden',
    sort: '0',
    up: 'yes',
  })
})

test('what is drawn comes back, and what lies across goes before it', () => {
  expect(
    addressOf({
      measures: 'revenue',
      across: 'product.family',
      sort: -1,
      descending: true,
      drawn: { shade: 'places' },
    }),
  ).toEqual({ measures: 'revenue', over: 'product.family', shade: 'places', sort: '-1' })
  expect(addressOf({ measures: 'revenue', periods: 13, drawn: { over: 'rows' } }).over).toBe('rows')
})
