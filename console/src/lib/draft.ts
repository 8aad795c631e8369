import { keepPreviousData, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, getCurrentScope, onScopeDispose, ref, watch } from 'vue'

import { api, need, Refusal, type Schemas } from './api'
import { refresh } from './queries'

export type Definition = Schemas['RuleDefinition']
export type Kept = Schemas['Draft']

/** How long the hand must rest before a draft is kept, and how long until a keeping that failed is tried again. */
export const restMs = 500
export const againMs = 4000

/**
 * A text that is kept as it is changed: a moment after the last change, one
 * keeping after the other. What is changed while a keeping is under way is kept
 * by the next; a keeping that fails says why, and is tried again.
 */
export function useKeeping(put: (text: string) => Promise<void>) {
  const text = ref('')
  const kept = ref(true)
  const trouble = ref('') // why it could not be kept
  let timer: ReturnType<typeof setTimeout> | undefined
  let last = Promise.resolve()
  let final = false // no use in trying again

  function start(to: string) {
    text.value = to
    kept.value = true
    trouble.value = ''
    final = false
  }
  function change(to: string) {
    if (to === text.value) return
    text.value = to
    kept.value = false
    later(restMs)
  }
  function later(ms: number) {
    clearTimeout(timer)
    if (!final) timer = setTimeout(() => void keep(), ms)
  }
  function keep(): Promise<void> {
    clearTimeout(timer)
    last = last.then(async () => {
      if (kept.value) return
      const sent = text.value
      try {
        await put(sent)
        trouble.value = ''
        kept.value = text.value === sent
        if (!kept.value) later(restMs)
      } catch (e) {
        final = e instanceof Refusal && e.problem.status === 412
        trouble.value = final
          ? 'This draft was changed in another window, so this one is no longer saved. Copy your text, then load the page again.'
          : `Not saved: ${(e as Error).message} It is tried again.`
        later(againMs)
      }
    })
    return last
  }
  /** Keeps at once what is not kept yet; false where that failed. */
  async function flush() {
    await keep()
    if (!kept.value && !trouble.value) await keep()
    return kept.value
  }
  if (getCurrentScope()) onScopeDispose(() => void keep())
  return { text, kept, trouble, start, change, keep, flush }
}

/**
 * Edits of a text by the service, one after the other: each is given the text as
 * it stands when its turn comes, and is asked anew if the text was changed by
 * hand meanwhile.
 */
export function useEdits(text: { value: string }, change: (to: string) => void) {
  const trouble = ref('')
  const waiting = ref(0)
  let last: Promise<unknown> = Promise.resolve()
  function edit(by: (text: string) => Promise<string>): Promise<boolean> {
    waiting.value++
    const turn = last.then(async () => {
      try {
        for (;;) {
          const from = text.value
          const to = await by(from)
          if (text.value !== from) continue
          change(to)
          trouble.value = ''
          return true
        }
      } catch (e) {
        trouble.value = (e as Error).message
        return false
      } finally {
        waiting.value--
      }
    })
    last = turn
    return turn
  }
  return { edit, trouble, waiting }
}

/** One's own draft: its text, kept as it is changed, and what there is to say of it. */
export function useDraft() {
  const queries = useQueryClient()
  const query = useQuery({
    queryKey: ['draft'],
    queryFn: () => need(api.GET('/api/draft')),
    staleTime: Infinity,
    refetchOnWindowFocus: false,
  })
  const version = ref(0)
  const basedOn = ref(0)
  const published = ref(0)
  const keeping = useKeeping(async (sent) => {
    take(await need(api.PUT('/api/draft', { body: { text: sent, based_on: basedOn.value, version: version.value } })))
  })
  const { text, kept, trouble } = keeping
  let loaded = false
  watch(
    query.data,
    (d) => {
      if (!d || (loaded && d.version === version.value && d.based_on === basedOn.value)) return
      loaded = true
      take(d)
      keeping.start(d.text)
    },
    { immediate: true },
  )
  function take(d: Kept) {
    version.value = d.version
    basedOn.value = d.based_on
    published.value = d.published
  }
  async function rebase(to: number) {
    basedOn.value = to
    kept.value = false
    await keeping.flush()
  }
  async function drop() {
    await keeping.flush()
    await need(api.DELETE('/api/draft'))
    loaded = false
    version.value = 0
    await refresh(queries, 'draft')
  }

  const settled = ref('') // what is checked, once the hand rests
  let pause: ReturnType<typeof setTimeout> | undefined
  // At once too: a draft that was looked at before is there before anything is watched.
  watch(
    text,
    (v) => {
      clearTimeout(pause)
      pause = setTimeout(() => (settled.value = v), settled.value ? 200 : 0)
    },
    { immediate: true },
  )
  const check = useQuery({
    queryKey: computed(() => ['check', settled.value]),
    queryFn: () => need(api.POST('/api/rulebook/check', { body: { text: settled.value } })),
    enabled: computed(() => !!settled.value),
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    gcTime: 10_000,
  })
  const sound = computed(
    () => check.data.value?.problems.length === 0 && !check.isPlaceholderData.value && settled.value === text.value,
  )
  return {
    query,
    text,
    version,
    basedOn,
    published,
    trouble,
    kept,
    change: keeping.change,
    flush: keeping.flush,
    rebase,
    drop,
    check,
    sound,
    settled,
  }
}
