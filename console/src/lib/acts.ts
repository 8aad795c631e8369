import { useMutation, useQueryClient, type InfiniteData } from '@tanstack/vue-query'
import { shallowRef } from 'vue'

import { api, need, type Schemas } from './api'
import { countWords } from './format'
import { refresh } from './queries'

export type Act = Schemas['CaseAct']
export type ActName = Act['do']

/** Cases that something is to be done to, as they were read. */
export type Chosen = { id: number; name?: string; version?: number; desk?: string; cleared?: boolean }

/** What the dialog asks about, if it is open. */
export const asking = shallowRef<{ do: ActName; cases: Chosen[] }>()

/** What was done last, and until when it can be undone. */
export const told = shallowRef<{ words: string; cases: number[]; until: number }>()

/** So long, in milliseconds, what was done can be undone. */
const undoable = 10_000

const asksMore: ActName[] = ['hand over', 'ask', 'park', 'comment', 'settle', 'reopen']

const did: Record<ActName, string> = {
  take: 'Took',
  return: 'Returned to the desk:',
  'hand over': 'Handed over',
  ask: 'Asked about',
  comment: 'Commented on',
  park: 'Parked',
  resume: 'Resumed',
  settle: 'Settled',
  reopen: 'Reopened',
}

/** Cases in words: one by whom it is of, several by how many they are. */
export const casesWords = (cases: { id: number; name?: string }[]) =>
  cases.length === 1
    ? `${cases[0].name ? `${cases[0].name}, case` : 'case'} ${cases[0].id}`
    : countWords(cases.length, 'case')

/** Says what was done to how many, with a way back where there is one. */
export function tell(what: ActName, cases: { id: number; name?: string }[], more = '') {
  told.value = {
    words: `${did[what]} ${casesWords(cases)}${more}`,
    cases: what === 'comment' ? [] : cases.map((c) => c.id),
    until: Date.now() + undoable,
  }
}

/** What is done to cases, to one or to several at once. */
export function useActs(done?: (act: Act) => void) {
  const queries = useQueryClient()
  const again = () => refresh(queries, 'cases')
  /** Lists bear what came back at once, without what is settled: the next act is on a case as it is now. */
  function put(now: Schemas['Case'][]) {
    for (const [key, old] of queries.getQueriesData<InfiniteData<Schemas['CasePage']>>({
      queryKey: ['cases', 'list'],
    })) {
      const kept = (c: Schemas['Case']) => c.state !== 'settled' || key[3] === 'settled'
      const items = (p: Schemas['CasePage']) => p.items.map((c) => now.find((n) => n.id === c.id) ?? c).filter(kept)
      if (old) queries.setQueryData(key, { ...old, pages: old.pages.map((p) => ({ ...p, items: items(p) })) })
    }
  }
  const act = useMutation({
    mutationFn: (a: Act) => need(api.POST('/api/cases/acts', { body: a })),
    onSuccess: (list, a) => {
      put(list)
      asking.value = undefined
      tell(a.do, list, a.finding ? ` as ${a.finding}` : '')
      done?.(a)
    },
    onSettled: again,
  })
  const undo = useMutation({
    mutationFn: (cases: number[]) => need(api.POST('/api/cases/undo', { body: { cases } })),
    onSuccess: (list) => {
      put(list)
      told.value = undefined
    },
    onSettled: again,
  })
  /** Takes exceptions that are in no case to their desks. */
  const toDesk = useMutation({
    mutationFn: (exceptions: number[]) => need(api.POST('/api/exceptions/cases', { body: { exceptions } })),
    onSuccess: (list) => {
      told.value = {
        words: `Sent to ${list.length === 1 ? `case ${list[0].id}` : countWords(list.length, 'case')}`,
        cases: [],
        until: Date.now() + undoable,
      }
    },
    onSettled: again,
  })
  /** Does it, or asks first for what it takes. */
  function start(what: ActName, cases: Chosen[]) {
    act.reset()
    if (!cases.length) return
    if (asksMore.includes(what)) asking.value = { do: what, cases }
    else act.mutate({ do: what, cases: cases.map(({ id, version }) => ({ id, version })) })
  }
  return { act, undo, toDesk, start }
}
