import { useQuery } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'

import { useActs, type Act } from './acts'
import { api, need } from './api'

/** A case and what is done to it; done is told of what was done to this one, not to one that was open before. */
export function useCase(id: Ref<number>, done: (act: Act) => void) {
  const query = useQuery({
    queryKey: computed(() => ['case', id.value]),
    queryFn: () => need(api.GET('/api/cases/{id}', { params: { path: { id: id.value } } })),
  })
  const { act, start } = useActs((a) => {
    if (a.cases.some((c) => c.id === id.value)) done(a)
  })
  return { query, act, start }
}
