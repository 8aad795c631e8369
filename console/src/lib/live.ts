import { useQueryClient } from '@tanstack/vue-query'
import { onBeforeUnmount, onMounted } from 'vue'

import { refresh, type Change } from './queries'

/** So long, in milliseconds, changes are gathered before what is shown is asked for anew. */
const gathers = 700

/**
 * Has what a change makes stale follow what others do: whenever the service tells of a
 * change of one of the tables, and whenever the page is looked at again after it was away.
 */
export function useLive(tables: string[], change: Change) {
  const queries = useQueryClient()
  let told: EventSource | undefined
  let waiting: ReturnType<typeof setTimeout> | undefined
  let missed = false // while nobody looked
  let opened = false
  function ask() {
    waiting = undefined
    missed = document.hidden
    if (!missed) void refresh(queries, change)
  }
  function changed(e: MessageEvent<string>) {
    const { what } = JSON.parse(e.data) as { what: string }
    if (what === 'all' || tables.includes(what)) soon()
  }
  function soon() {
    waiting ??= setTimeout(ask, gathers)
  }
  /** Of a stream that was cut and comes again nobody knows what it would have told. */
  function began() {
    if (opened) soon()
    opened = true
  }
  function looked() {
    if (missed && !document.hidden) ask()
  }
  onMounted(() => {
    document.addEventListener('visibilitychange', looked)
    if (typeof EventSource === 'undefined') return
    told = new EventSource('/api/changes')
    told.addEventListener('changed', changed)
    told.addEventListener('open', began)
  })
  onBeforeUnmount(() => {
    document.removeEventListener('visibilitychange', looked)
    clearTimeout(waiting)
    told?.close()
  })
}
