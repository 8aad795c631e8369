import { computed, inject, provide, type InjectionKey } from 'vue'

import type { Schemas } from './api'
import type { Definition } from './draft'
import type { Method } from './methods'
import { useRulebook } from './rulebook'

/** How a definition judges: by bands, by conditions, or by a method of a family. */
export type Family = 'bands' | 'choose' | 'outlier' | 'window'

export const familyOf = (d: Definition): Family =>
  d.window ? 'window' : d.outlier ? 'outlier' : d.choose?.length ? 'choose' : 'bands'

/** The method that a definition names. */
export const methodOf = (d: Definition, all: Method[]) =>
  d.outlier
    ? all.find((m) => m.family === 'outlier' && m.name === (d.outlier?.by ?? 'robust score'))
    : all.find((m) => m.family === 'window' && d.window && m.name in d.window)

/** Where faults are shown beside what they are about; all others stand on top. */
const placed = [
  'where',
  'base',
  'stake',
  'marks',
  'against',
  'choose',
  'bands',
  'examples',
  'judges',
  'persists',
  'outlier',
  'window',
  'valid',
  '.name',
  'threshold.of',
]

/** What stands in empty fields, said with names of the rulebook's own. */
export function hintsOf(attributes: string[], measures: string[], feeds: string[]) {
  const [first, second] = [measures[0] ?? 'a_measure', measures[1]]
  return {
    scope: `${attributes[0] ?? 'a_kind.attribute'} is not "…"`,
    condition: `${first} above 100`,
    inputs: second ? `${first} 100, ${second} 60` : `${first} 100`,
    stake: second ? `${first} - ${second}` : first,
    lines: `${feeds[0] ?? 'a_feed'} where … above 100`,
  }
}

function ruleOf(
  definition: () => Definition,
  faults: () => Schemas['Fault'][],
  report: () => Schemas['CheckReport'] | undefined,
  change: (d: Definition) => void,
) {
  const { book, grades, allGrades } = useRulebook()
  const d = computed(definition)
  const measures = computed(() => report()?.measures ?? [])
  const dials = computed(() => (report()?.dials ?? []).map((x) => ({ name: x.name, title: `dial, ${x.value}` })))
  const attributes = computed(() => {
    const kinds = new Set((d.value.judges ?? []).flatMap((j) => j.split(' x ').map((s) => s.split('.')[0])))
    return (book.value?.kinds ?? [])
      .filter((k) => kinds.has(k.name))
      .flatMap((k) =>
        k.attributes.map((a) => ({ name: `${k.name}.${a}`, title: `${a} of a ${k.title.toLowerCase()}` })),
      )
  })
  return {
    d,
    book,
    grades,
    allGrades,
    measures,
    dials,
    attributes,
    hints: computed(() =>
      hintsOf(
        attributes.value.map((a) => a.name),
        measures.value.map((m) => m.name),
        (book.value?.feeds ?? []).map((f) => f.name),
      ),
    ),
    /** All that a formula may name. */
    names: computed(() => [...measures.value, ...dials.value, ...(report()?.functions ?? []), ...attributes.value]),
    family: computed(() => familyOf(d.value)),
    /** The faults of some fields. */
    at: (...fields: string[]) =>
      faults()
        .filter((f) => fields.some((x) => f.where?.includes(`.${x}`)))
        .map((f) => f.text),
    loose: computed(() =>
      faults()
        .filter((f) => !placed.some((p) => f.where?.includes(p)))
        .map((f) => f.text),
    ),
    /** Changes some fields; every change gives the whole definition anew. */
    set: (part: Partial<Definition>) => change({ ...definition(), ...part }),
    change,
  }
}

const key: InjectionKey<ReturnType<typeof ruleOf>> = Symbol('rule')

/** Makes a rule known to the parts of its form. */
export function provideRule(...args: Parameters<typeof ruleOf>) {
  const rule = ruleOf(...args)
  provide(key, rule)
  return rule
}

/** The rule that a part of the form is about. */
export function useRule() {
  const rule = inject(key)
  if (!rule) throw new Error('not within the form of a rule')
  return rule
}

/** What was typed or picked. */
export const valueOf = (e: Event) => (e.target as HTMLInputElement).value
