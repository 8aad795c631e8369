import { computed, watch } from 'vue'
import { useRoute } from 'vue-router'

import type { Schemas } from '@/lib/api'
import { usePeriod } from '@/lib/period'
import { useQueryChange, useQueryWord } from '@/lib/query'
import { useTyped } from '@/lib/typed'

export type Sort = NonNullable<Schemas['ViewQuery']['sort']>

/** What the list of exceptions is narrowed to and sorted by. All of it stands in the address. */
export function useExceptionFilter() {
  const route = useRoute()
  const change = useQueryChange()
  const { period } = usePeriod()
  const words = {
    rule: useQueryWord('rule'),
    grade: useQueryWord('grade'),
    state: useQueryWord('state'),
    kind: useQueryWord('kind'),
    desk: useQueryWord('desk'),
    text: useQueryWord('text'),
    group: useQueryWord('group'),
    sweep: useQueryWord('sweep'),
  }
  const { rule, grade, state, kind, desk, text, group, sweep } = words

  // Typing filters once the hand rests.
  const typed = useTyped(text)
  watch(text, (v) => {
    if (v !== typed.value.trim()) typed.value = v
  })

  const sort = computed(() => (route.query.sort as Sort) || 'grade')
  const descending = computed(() => route.query.descending === 'yes')
  /** Sorts by a column; a second time turns it round. Where more is worse, most comes first. */
  function sortBy(column: Sort) {
    const turn = column === sort.value ? !descending.value : ['stake', 'streak', 'beyond'].includes(column)
    void change({ sort: column, descending: turn ? 'yes' : undefined })
  }

  const said = computed(() => ({
    rule: rule.value || undefined,
    grade: grade.value || undefined,
    state: (state.value || undefined) as Schemas['ViewQuery']['state'],
    kind: kind.value || undefined,
    desk: desk.value || undefined,
    text: text.value || undefined,
  }))
  /** What the service is asked for. */
  const filter = computed(() => ({
    ...said.value,
    state: (state.value || 'flagged') as 'raised' | 'standing' | 'cleared' | 'flagged',
    period: period.value!,
    sweep: Number(sweep.value) || undefined,
    group: group.value || undefined,
    sort: sort.value,
    descending: descending.value,
  }))
  /** What a view keeps of it: neither the period nor an earlier sweep. */
  const view = computed<Schemas['ViewQuery']>(() => ({
    ...said.value,
    group: group.value || undefined,
    sort: sort.value === 'grade' ? undefined : sort.value,
    descending: descending.value || undefined,
  }))
  function showView(q: Schemas['ViewQuery']) {
    typed.value = q.text ?? ''
    const { rule, grade, state, kind, desk, text, group, sort } = q
    void change({ rule, grade, state, kind, desk, text, group, sort, descending: q.descending ? 'yes' : undefined })
  }
  const narrowed = computed(() => Object.values(said.value).some((word) => word))
  function showAll() {
    typed.value = ''
    void change({
      ...Object.fromEntries(Object.keys(route.query).map((k) => [k, undefined])),
      period: route.query.period,
    })
  }
  return { ...words, typed, sort, descending, sortBy, filter, view, showView, narrowed, showAll }
}
