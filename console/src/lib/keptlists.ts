import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed } from 'vue'

import { api, need, type Schemas } from './api'
import { refresh } from './queries'
import { useSession } from './session'

export type View = Schemas['View']

/** The kept tables and the boards that a person may see, and what one may do with them. */
export function useKept() {
  const queries = useQueryClient()
  const { person, may } = useSession()
  const tables = useQuery({
    queryKey: ['views', 'tables'],
    queryFn: () => need(api.GET('/api/views', { params: { query: { of: 'tables' } } })),
  })
  const boards = useQuery({
    queryKey: ['views', 'boards'],
    queryFn: () => need(api.GET('/api/views', { params: { query: { of: 'boards' } } })),
  })
  const save = useMutation({
    mutationFn: (body: Schemas['NewView']) => need(api.POST('/api/views', { body })),
    onSuccess: () => refresh(queries, 'views'),
  })
  const remove = useMutation({
    mutationFn: (id: number) => need(api.DELETE('/api/views/{id}', { params: { path: { id } } })),
    onSuccess: () => refresh(queries, 'views'),
  })
  const mine = (v: View) => v.owner === person.value?.name
  const mayRemove = (v: View) => mine(v) || (v.shared && may('changeOthers'))
  const titles = computed(() => new Map((tables.data.value ?? []).map((t) => [t.id, t.name])))
  return { tables, boards, save, remove, mine, mayRemove, titles }
}
