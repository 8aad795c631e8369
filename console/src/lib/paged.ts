import { useQueries, useQuery, keepPreviousData, type QueryKey } from '@tanstack/vue-query'
import { useVirtualizer } from '@tanstack/vue-virtual'
import { computed, reactive, ref, watch, type Ref } from 'vue'

export const pageSize = 100
export const rowHeight = 32

/** What is drawn of a long list, for LongTable. */
export interface LongRows<Row> {
  total: number
  rows: { index: number; row?: Row }[]
  /** Pixels that the rows not drawn would take. */
  above: number
  below: number
  /** Takes the element that scrolls, as its ref. */
  attach: (element: unknown) => void
}

/**
 * Rows of a long list, of which only those in view are fetched and drawn. The
 * first page says how many there are.
 */
export function usePaged<Row, Page extends { rows: Row[]; total: number }>(
  key: Ref<QueryKey>,
  fetch: (skip: number) => Promise<Page>,
  enabled: Ref<boolean>,
) {
  const first = useQuery({
    queryKey: key,
    queryFn: () => fetch(0),
    enabled,
    placeholderData: keepPreviousData,
  })
  const wanted = ref<number[]>([])
  const more = useQueries({
    queries: computed(() =>
      wanted.value.map((n) => ({ queryKey: [...key.value, 'page', n] as const, queryFn: () => fetch(n * pageSize) })),
    ),
  })
  const total = computed(() => first.data.value?.total ?? 0)
  const scroller = ref<HTMLElement | null>(null)
  const attach = (element: unknown) => void (scroller.value = element as HTMLElement | null)
  const virtual = useVirtualizer(
    computed(() => ({
      count: total.value,
      getScrollElement: () => scroller.value,
      estimateSize: () => rowHeight,
      overscan: 10,
    })),
  )
  const items = computed(() => virtual.value.getVirtualItems())
  watch(items, (seen) => {
    const pages = [...new Set(seen.map((i) => Math.floor(i.index / pageSize)))].filter((n) => n > 0)
    if (pages.join() !== wanted.value.join()) wanted.value = pages
  })
  watch(key, () => scroller.value?.scrollTo({ top: 0 }))
  /** The row at a place, once it has come. */
  function row(i: number): Row | undefined {
    const page = Math.floor(i / pageSize)
    const from = page === 0 ? first.data.value : more.value[wanted.value.indexOf(page)]?.data
    return (from as Page | undefined)?.rows[i - page * pageSize]
  }
  const rows = computed(() => items.value.map((i) => ({ index: i.index, row: row(i.index) })))
  const above = computed(() => items.value[0]?.start ?? 0)
  const below = computed(() => Math.max(0, virtual.value.getTotalSize() - (items.value.at(-1)?.end ?? 0)))
  const list = reactive({ total, rows, above, below, attach }) as LongRows<Row>
  return { first, total, list }
}
