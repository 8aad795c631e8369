import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed } from 'vue'

import { api, need, type Schemas } from './api'
import { useSession } from './session'
import { refresh } from './queries'

/** What belongs to a case beside what is flagged and said: files, and what is to be done. */
export function useCaseParts(id: () => number) {
  const queries = useQueryClient()
  const onSuccess = () => refresh(queries, 'cases')
  const path = () => ({ id: id() })
  return {
    attach: useMutation({
      mutationFn: async (files: File[]) => {
        for (const file of files)
          await need(
            api.POST('/api/cases/{id}/files', {
              params: { path: path(), query: { name: file.name } },
              headers: { 'Content-Type': 'application/octet-stream' },
              body: file as unknown as string,
              bodySerializer: (body) => body as unknown as File,
            }),
          )
      },
      onSettled: onSuccess, // those before the one that was refused are there
    }),
    dropFile: useMutation({
      mutationFn: (file: number) =>
        need(api.DELETE('/api/cases/{id}/files/{file}', { params: { path: { ...path(), file } } })),
      onSuccess,
    }),
    addTodo: useMutation({
      mutationFn: (body: Schemas['NewTodo']) =>
        need(api.POST('/api/cases/{id}/todos', { params: { path: path() }, body })),
      onSuccess,
    }),
  }
}

/** What is done to one thing that is to be done, wherever it is shown. */
export function useTodoActs() {
  const queries = useQueryClient()
  const onSuccess = () => refresh(queries, 'cases')
  return {
    tick: useMutation({
      mutationFn: ({ id, done }: { id: number; done: boolean }) =>
        need(api.PUT('/api/todos/{id}', { params: { path: { id } }, body: { done } })),
      onSuccess,
    }),
    drop: useMutation({
      mutationFn: (id: number) => need(api.DELETE('/api/todos/{id}', { params: { path: { id } } })),
      onSuccess,
    }),
  }
}

/** What the person was told of cases; looked at anew every minute. */
export function useNotices() {
  const { person } = useSession()
  const queries = useQueryClient()
  const query = useQuery({
    queryKey: ['notices'],
    queryFn: () => need(api.GET('/api/notifications')),
    enabled: computed(() => !!person.value),
    refetchInterval: 60_000,
  })
  const see = useMutation({
    mutationFn: (body: Schemas['NotificationsRead']) => need(api.POST('/api/notifications/read', { body })),
    onSuccess: () => refresh(queries, 'notices'),
  })
  return { query, see, news: computed(() => query.data.value?.news ?? 0) }
}

/** A text in parts: those that name somebody with an @, and those between. */
export function namesIn(text: string): { text: string; name: boolean }[] {
  const out: { text: string; name: boolean }[] = []
  let last = 0
  for (const m of text.matchAll(/(?<![\p{L}\p{N}_.@-])@[a-z][a-z0-9.-]{0,39}/gu)) {
    const word = m[0].replace(/[.-]+$/, '')
    if (m.index > last) out.push({ text: text.slice(last, m.index), name: false })
    out.push({ text: word, name: true })
    last = m.index + word.length
  }
  if (last < text.length) out.push({ text: text.slice(last), name: false })
  return out
}
