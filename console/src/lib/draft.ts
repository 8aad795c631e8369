import { keepPreviousData, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'

import { api, need, Refusal, type Schemas } from './api'

export type Definition = Schemas['RuleDefinition']

/** One's own draft: its text, kept as it is changed, and what there is to say of it. */
export function useDraft() {
  const queries = useQueryClient()
  const query = useQuery({
    queryKey: ['draft'],
    queryFn: () => need(api.GET('/api/draft')),
    staleTime: Infinity,
    refetchOnWindowFocus: false,
  })
  const text = ref('')
  const version = ref(0)
  const basedOn = ref(0)
  const published = ref(0)
  const trouble = ref('') // why it could not be kept
  const kept = ref(true)
  let loaded = false
  watch(
    query.data,
    (d) => {
      if (!d || (loaded && d.version === version.value && d.based_on === basedOn.value)) return
      loaded = true
      take(d)
      text.value = d.text
      kept.value = true
    },
    { immediate: true },
  )
  function take(d: Schemas['Draft']) {
    version.value = d.version
    basedOn.value = d.based_on
    published.value = d.published
  }

  // Kept a moment after the last change; one keeping after the other.
  let rest: ReturnType<typeof setTimeout> | undefined
  let keeping = Promise.resolve()
  function change(to: string) {
    if (to === text.value) return
    text.value = to
    kept.value = false
    clearTimeout(rest)
    rest = setTimeout(() => (keeping = keeping.then(keep)), 500)
  }
  async function keep() {
    try {
      take(
        await need(
          api.PUT('/api/draft', { body: { text: text.value, based_on: basedOn.value, version: version.value } }),
        ),
      )
      kept.value = true
      trouble.value = ''
    } catch (e) {
      trouble.value =
        e instanceof Refusal && e.problem.status === 412
          ? 'This draft was changed in another window. Load the page again to see it; copy your text first.'
          : (e as Error).message
    }
  }
  async function flush() {
    clearTimeout(rest)
    await keeping
    if (!kept.value) await keep()
  }
  async function rebase(to: number) {
    basedOn.value = to
    await keep()
  }
  async function drop() {
    clearTimeout(rest)
    await keeping
    await need(api.DELETE('/api/draft'))
    loaded = false
    version.value = 0
    await queries.invalidateQueries({ queryKey: ['draft'] })
  }

  const settled = ref('') // what is checked, once the hand rests
  let pause: ReturnType<typeof setTimeout> | undefined
  watch(text, (v) => {
    clearTimeout(pause)
    pause = setTimeout(() => (settled.value = v), settled.value ? 200 : 0)
  })
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
  return { query, text, version, basedOn, published, trouble, kept, change, flush, rebase, drop, check, sound, settled }
}
