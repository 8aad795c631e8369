import { expect, it } from 'vitest'

import { show } from '@/lib/inside'
import TimeLine from '@/parts/exceptions/TimeLine.vue'

it('lists and draws the days on both sides of an event, itself in neither', async () => {
  const events = {
    lines: [{ day: '2026-09-23', feed: 'calls', role: 'event' }],
    windows: [
      { first: '2026-09-23', last: '2026-10-21', role: 'after', broke: true },
      { first: '2026-08-26', last: '2026-09-22', role: 'before' },
    ],
    as_of: '2026-10-31',
  }
  const { page } = await show(TimeLine, { events, feeds: (name: string) => name })
  const listed = page.findAll('li').map((l) => l.text())
  expect(listed).toEqual(['24 Sep 2026 to 21 Oct 2026, after', '26 Aug 2026 to 22 Sep 2026, before'])
  const [after, before] = page.findAll('rect').map((r) => Number(r.attributes('width')))
  expect(after).toBeCloseTo(before!, 6)
})
