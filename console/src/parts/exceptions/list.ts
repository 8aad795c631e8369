import { keepPreviousData, useInfiniteQuery } from '@tanstack/vue-query'
import { computed, nextTick, ref, type Ref } from 'vue'

import { api, need, type Schemas } from '@/lib/api'
import { useRulebook } from '@/lib/rulebook'

import type { useExceptionFilter } from './filter'

/** On paper all rows stand, however many were shown; at most so many. */
const mostPrinted = 2000

/** The exceptions that a filter leaves, in pages of a hundred, with what stands above them. */
export function useExceptionList({ filter, group }: ReturnType<typeof useExceptionFilter>, period: Ref<unknown>) {
  const { book } = useRulebook()
  const list = useInfiniteQuery({
    queryKey: computed(() => ['exceptions', filter.value]),
    queryFn: ({ pageParam }) =>
      need(
        api.GET('/api/exceptions', {
          params: { query: { ...filter.value, limit: 100, cursor: pageParam || undefined } },
        }),
      ),
    initialPageParam: '',
    getNextPageParam: (page) => page.next,
    enabled: computed(() => !!period.value),
    placeholderData: keepPreviousData,
  })
  const items = computed(() => list.data.value?.pages.flatMap((p) => p.items) ?? [])
  const first = computed(() => list.data.value?.pages[0])
  const total = computed(() => first.value?.total ?? 0)

  /** Choices of a filter with how many there would be of each. */
  const counted = (facet: keyof Schemas['Facets'], all: { value: string; text: string }[]) =>
    all.map((o) => {
      const n = first.value?.facets?.[facet].find((g) => g.name === o.value)?.count ?? 0
      return { value: o.value, text: first.value?.facets ? `${o.text} (${n.toLocaleString('en-GB')})` : o.text }
    })

  const attributes = computed(() => [...new Set(book.value?.kinds.flatMap((k) => k.attributes) ?? [])])
  const groupOf = (x: Schemas['Exception']) =>
    ({ grade: x.grade, rule: x.rule, kind: x.kind, desk: x.desk, state: x.state, subject: `${x.kind} ${x.key}` })[
      group.value
    ]
  /** Where each group of an attribute begins, by how many come before. */
  const begins = computed(() => {
    const at = new Map<number, Schemas['ExceptionGroup']>()
    let n = 0
    for (const g of first.value?.groups ?? []) {
      at.set(n, { ...g, title: g.title || `no ${group.value}` })
      n += g.count
    }
    return at
  })
  /** The head of a group stands above its first row. */
  const headAt = computed(() =>
    items.value.map((x, i) => {
      if (attributes.value.includes(group.value)) return begins.value.get(i)
      const of = groupOf(x)
      if (of === undefined || (i > 0 && groupOf(items.value[i - 1]) === of)) return undefined
      const g = first.value?.groups?.find((g) => g.name === of)
      return g && { ...g, title: group.value === 'subject' ? `${x.name} ${x.key}` : g.title }
    }),
  )

  const printing = ref(false)
  async function print() {
    printing.value = true
    while (list.hasNextPage.value && items.value.length < mostPrinted) await list.fetchNextPage()
    await nextTick()
    window.print()
    printing.value = false
  }
  return { list, items, first, total, counted, attributes, headAt, printing, print }
}
