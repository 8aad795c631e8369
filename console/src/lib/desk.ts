import { keepPreviousData, useInfiniteQuery, useQueries } from '@tanstack/vue-query'
import { computed } from 'vue'

import { api, need, type Schemas } from './api'
import { useQueryChange, useQueryWord } from './query'
import { useRulebook } from './rulebook'
import { useSession } from './session'
import { useTyped } from './typed'

type Query = Schemas['CaseQuery']

/** What the list of cases is narrowed to and gathered by, as words of the URL, and its pages. */
export function useDesk() {
  const { person } = useSession()
  const { desk } = useRulebook()
  const change = useQueryChange()
  const words = {
    desk: useQueryWord('desk'),
    state: useQueryWord('state'), // or late
    whose: useQueryWord('whose'), // held, asked, told, or an account after a colon
    grade: useQueryWord('grade'),
    rule: useQueryWord('rule'),
    kind: useQueryWord('kind'),
    text: useQueryWord('text'),
    group: useQueryWord('group'),
  }
  const typed = useTyped(words.text)
  const holder = computed(() => (words.whose.value.startsWith(':') ? words.whose.value.slice(1) : ''))
  const own = computed(() => ['asked', 'told'].includes(words.whose.value))
  const mine = computed(() => !words.desk.value && !own.value && !holder.value && !!person.value?.desks.length)
  const query = computed<Query>(() => ({
    whose: (holder.value ? undefined : words.whose.value || undefined) as Query['whose'],
    person: holder.value || undefined,
    state: (words.state.value === 'late' ? undefined : words.state.value || undefined) as Query['state'],
    late: words.state.value === 'late' || undefined,
    desk: words.desk.value || undefined,
    grade: words.grade.value || undefined,
    rule: words.rule.value || undefined,
    kind: words.kind.value || undefined,
    text: words.text.value || undefined,
    group: (words.group.value || undefined) as Query['group'],
  }))
  const list = useInfiniteQuery({
    queryKey: computed(() => ['cases', 'list', words.desk.value, words.state.value, mine.value, query.value]),
    queryFn: ({ pageParam }) => {
      const { whose, ...more } = query.value
      return need(
        api.GET('/api/cases', {
          params: {
            query: {
              ...more,
              state: more.state ?? 'unsettled',
              mine: mine.value,
              held: whose === 'held',
              asked: whose === 'asked',
              told: whose === 'told',
              cursor: pageParam || undefined,
            },
          },
        }),
      )
    },
    initialPageParam: '',
    getNextPageParam: (page) => page.next,
    enabled: computed(() => !!person.value),
    placeholderData: keepPreviousData,
  })
  const page = computed(() => list.data.value?.pages[0])
  // A case that has moved on meanwhile may stand on two pages.
  const cases = computed(() => [
    ...new Map(list.data.value?.pages.flatMap((p) => p.items).map((c) => [c.id, c] as const)).values(),
  ])
  const title = computed(() => {
    if (words.desk.value) return desk(words.desk.value)
    return mine.value ? person.value!.desks.map(desk).join(', ') : 'All desks'
  })
  // The histories of each page come after it, and stay while its cases are acted on.
  const histories = useQueries({
    queries: computed(() =>
      (list.data.value?.pages ?? [])
        .filter((p) => p.items.length)
        .map((p) => {
          const ids = p.items.map((c) => c.id).sort((a, b) => a - b)
          return {
            queryKey: ['case histories', ids.join()] as const,
            queryFn: () => need(api.GET('/api/cases/histories', { params: { query: { cases: ids.join() } } })),
            staleTime: 300_000,
          }
        }),
    ),
    combine: (all) => new Map(all.flatMap((q) => q.data ?? []).map((h) => [h.case, h])),
  })
  const narrowed = computed(() => Object.entries(words).some(([k, w]) => k !== 'desk' && k !== 'group' && w.value))
  function show(q: Query) {
    typed.value = q.text ?? ''
    void change({
      desk: q.desk,
      state: q.late ? 'late' : q.state,
      whose: q.person ? `:${q.person}` : q.whose,
      grade: q.grade,
      rule: q.rule,
      kind: q.kind,
      text: q.text,
      group: q.group,
    })
  }
  /** The head of a group stands above its first row. */
  const groupOf = (c: Schemas['Case']) =>
    ({ desk: c.desk, grade: c.grade, kind: c.kind, person: c.taken_by ?? '', state: c.state })[words.group.value]
  const heads = computed(() =>
    cases.value.map((c, i) => {
      const of = groupOf(c)
      if (of === undefined || (i > 0 && groupOf(cases.value[i - 1]) === of)) return undefined
      return page.value?.groups?.find((g) => g.name === of)
    }),
  )
  return { ...words, typed, query, list, page, cases, title, histories, narrowed, show, heads }
}
