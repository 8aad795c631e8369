import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'

import { api, need, type Schemas } from './api'

export type Grade = Schemas['Grade']

const unknown = (name: string): Grade => ({ name, label: name, tone: 'grey', shape: 'circle' })

/** The published rulebook, for the names and marks of everything. */
export function useRulebook() {
  const query = useQuery({
    queryKey: ['rulebook'],
    queryFn: () => need(api.GET('/api/rulebook')),
    staleTime: 60_000,
  })
  const grades = computed(() => query.data.value?.grades ?? [])
  const grade = (name: string) => grades.value.find((g) => g.name === name) ?? unknown(name)
  const titleOf = (list: Schemas['Named'][] | undefined, name: string) =>
    list?.find((x) => x.name === name)?.title ?? name
  const desk = (name: string) => titleOf(query.data.value?.desks, name)
  const kind = (name: string) => titleOf(query.data.value?.kinds, name)
  return { query, book: query.data, grades, grade, desk, kind }
}

/** The colour of a tone; the words are those of style.css. */
export function toneColour(tone: string): string {
  return `var(--${['red', 'amber', 'green', 'blue', 'violet'].includes(tone) ? tone : 'grey'})`
}
