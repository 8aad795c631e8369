import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'

import { api, need, type Schemas } from './api'

export type Grade = Schemas['Grade']

const unknown = (name: string): Grade => ({
  name,
  label: name,
  tone: 'grey',
  shape: 'circle',
  cell: 'shape',
  good: false,
})

/** The published rulebook, for the names and marks of everything. */
export function useRulebook() {
  const query = useQuery({
    queryKey: ['rulebook'],
    queryFn: () => need(api.GET('/api/rulebook')),
    staleTime: 60_000,
  })
  const allGrades = computed(() => query.data.value?.grades ?? [])
  /** Those that flag: what praises is no exception. */
  const grades = computed(() => allGrades.value.filter((g) => !g.good))
  const grade = (name: string) => allGrades.value.find((g) => g.name === name) ?? unknown(name)
  const titleOf = (list: Schemas['Named'][] | undefined, name: string) =>
    list?.find((x) => x.name === name)?.title ?? name
  const desk = (name: string) => titleOf(query.data.value?.desks, name)
  const kind = (name: string) => titleOf(query.data.value?.kinds, name)
  return { query, book: query.data, grades, allGrades, grade, desk, kind }
}

const inStyle: Record<Schemas['GradeChange']['tone'], true> = {
  red: true,
  amber: true,
  green: true,
  blue: true,
  violet: true,
  grey: true,
}
/** The tones of grades, in the order in which they are offered. */
export const tones = Object.keys(inStyle) as Schemas['GradeChange']['tone'][]

/** The colour of a tone; the words are those of style.css. */
export function toneColour(tone: string): string {
  return `var(--${tone in inStyle ? tone : 'grey'})`
}
