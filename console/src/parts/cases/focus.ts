import { computed, nextTick, ref, watch, type Ref } from 'vue'

import { told } from '@/lib/acts'
import { api, need, type Schemas } from '@/lib/api'

/**
 * Which case of a list has the focus, by its number. Where it leaves the list, by one's own act
 * or another's, the focus goes to where it stood, so that the keyboard goes on; nothing is done
 * to what comes there. Who took it away is said in `gone`, unless one did so oneself.
 */
export function useCaseFocus(cases: Ref<Schemas['Case'][]>, query: Ref<unknown>, selected: Ref<string>) {
  const at = ref<number>()
  const place = ref(-1) // where it stood, for when it is gone
  const gone = ref('')
  const row = (id: number) => document.querySelector<HTMLElement>(`[data-row="${id}"]`)

  /** What keys are for: the case that is open beside the list, else the one in the list that has the focus. */
  const inView = computed(() => Number(selected.value) || at.value)
  const focused = computed(() => cases.value.find((c) => c.id === inView.value))
  function focusOn(id: number, i: number) {
    at.value = id
    place.value = i
  }
  async function step(by: number) {
    const from = cases.value.findIndex((c) => c.id === inView.value)
    // One that has gone is stepped on from where it stood.
    const to = from >= 0 ? from + by : by > 0 ? place.value : place.value - 1
    const next = cases.value[Math.min(cases.value.length - 1, Math.max(0, to))]
    if (!next) return
    at.value = next.id
    if (selected.value) selected.value = String(next.id)
    await nextTick()
    row(next.id)?.focus()
  }

  async function sayWhoTook(was: Schemas['Case']) {
    try {
      const { case: c } = await need(api.GET('/api/cases/{id}', { params: { path: { id: was.id } } }))
      const by = c.state === 'settled' ? c.settled_by : c.taken_by
      gone.value = `${was.name}, case ${was.id}: ${c.state}${by ? ` by ${by}` : ''}.`
    } catch {
      gone.value = `${was.name}, case ${was.id}, is no longer on this list.`
    }
  }
  watch(cases, async (now, before) => {
    const was = before.find((c) => c.id === at.value)
    if (!was || now.some((c) => c.id === was.id)) {
      const i = now.findIndex((c) => c.id === at.value)
      if (i < 0) return
      place.value = i
      // A row that the order moves loses the focus on the way, and so does one whose dialog
      // has just closed; any other that had none gets none.
      const { id } = now[i]
      if (document.activeElement !== row(id) && !told.value?.cases.includes(id)) return
      await nextTick()
      if (document.activeElement === document.body) row(id)?.focus({ preventScroll: true })
      return
    }
    const lost = !document.activeElement || document.activeElement === document.body || !!row(was.id)
    const own = told.value?.cases.includes(was.id)
    at.value = undefined
    place.value = before.indexOf(was)
    await nextTick()
    if (own && (lost || document.activeElement === document.body) && !selected.value) {
      const next = now[Math.min(place.value, now.length - 1)]
      if (next) row(next.id)?.focus()
    }
    if (!own) await sayWhoTook(was)
  })
  watch([query, told], () => (gone.value = ''))
  return { focused, focusOn, step, gone }
}
