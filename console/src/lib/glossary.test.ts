import { expect, it } from 'vitest'

import text from '../../../docs/glossary.md?raw'
import { sectionsOf } from './glossary'

it('has every term with its meaning, and none twice', () => {
  const sections = sectionsOf(text)
  expect(sections[0]).toMatchObject({ title: "Oskel's own words", heads: ['word', 'usual term', 'meaning'] })
  expect(sections[0].rows).toHaveLength(11)
  const terms = sections.flatMap((s) => s.rows.map((r) => r[0]))
  expect(new Set(terms).size).toBe(terms.length)
  for (const s of sections)
    for (const r of s.rows)
      expect(
        r.every((c) => c !== ''),
        `${r}`,
      ).toBe(true)
})
