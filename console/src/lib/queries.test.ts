import { useQuery } from '@tanstack/vue-query'
import { flushPromises } from '@vue/test-utils'
import { expect, test } from 'vitest'

import { inside } from './inside'
import { refresh } from './queries'

test('what was asked before a change does not stand as what is after it', async () => {
  let now = 'before'
  const answers: (() => void)[] = []
  const { out, queries } = await inside(() =>
    useQuery({
      queryKey: ['cases'],
      queryFn: () => {
        const seen = now
        return new Promise<string>((resolve) => answers.push(() => resolve(seen)))
      },
    }),
  )
  await flushPromises()
  expect(answers).toHaveLength(1) // the first is on its way
  now = 'after'
  const done = refresh(queries, 'cases')
  await flushPromises()
  answers.forEach((a) => a())
  await done
  await flushPromises()
  expect(out.data.value).toBe('after')
})
