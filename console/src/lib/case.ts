import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'

import { tell } from './acts'
import { api, need, type Schemas } from './api'
import { refresh } from './refresh'

export type Finding = Schemas['Finding']['finding']
type Detail = Schemas['CaseDetail']

/** One thing done to a case. It says to which, and to which version of it: one may have moved on to another meanwhile. */
export type Step = { id: number; version?: number } & (
  { do: 'take' | 'release' } | { do: 'comment'; text: string } | ({ do: 'settle' } & Schemas['Finding'])
)

const params = (s: Step) => ({ path: { id: s.id }, header: { 'If-Match': `"${s.version}"` } })

function send(step: Step): Promise<Detail> {
  switch (step.do) {
    case 'take':
      return need(api.PUT('/api/cases/{id}/holder', { params: params(step) }))
    case 'release':
      return need(api.DELETE('/api/cases/{id}/holder', { params: params(step) }))
    case 'comment':
      return need(
        api.POST('/api/cases/{id}/comments', { params: { path: { id: step.id } }, body: { text: step.text } }),
      )
    case 'settle':
      return need(
        api.PUT('/api/cases/{id}/finding', {
          params: params(step),
          body: {
            finding: step.finding,
            apart: step.apart,
            reason: step.reason,
            recovered: step.recovered,
            written_off: step.written_off,
            feed: step.feed,
            peace: step.peace,
            note: step.note,
          },
        }),
      )
  }
}

/** A case and what is done to it. */
export function useCase(id: Ref<number>, done: (step: Step) => void) {
  const queries = useQueryClient()
  const query = useQuery({
    queryKey: computed(() => ['case', id.value]),
    queryFn: () => need(api.GET('/api/cases/{id}', { params: { path: { id: id.value } } })),
  })
  const act = useMutation({
    mutationFn: send,
    onSuccess: (detail, step) => {
      queries.setQueryData(['case', step.id], detail)
      refresh(queries, 'cases')
      if (step.do !== 'comment') {
        refresh(queries, 'exceptions')
        refresh(queries, 'overview')
      }
      tell(step.do, [detail.case], step.do === 'settle' ? ` as ${step.finding}` : '')
      if (step.id === id.value) done(step)
    },
    onError: (_, step) => queries.invalidateQueries({ queryKey: ['case', step.id] }),
  })
  return { query, act }
}
