import { expect, test } from 'vitest'

import { hintsOf } from './ruleform'

test('what stands in empty fields is said with the rulebook’s own names', () => {
  expect(hintsOf(['farm.size', 'farm.district'], ['value', 'cost'], ['deliveries'])).toEqual({
    scope: 'farm.size is not "…"',
    condition: 'value above 100',
    inputs: 'value 100, cost 60',
    stake: 'value - cost',
    lines: 'deliveries where … above 100',
  })
  expect(hintsOf([], ['value'], []).inputs).toBe('value 100')
})
