import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRoute } from 'vue-router'

import { api, need } from './api'
import { monthWords } from './format'
import { useQueryChange } from './query'
import { useRulebook } from './rulebook'

/** The periods of the strip, of the grain that the URL names, and the one that it names: else the newest. */
export function usePeriod() {
  const route = useRoute()
  const change = useQueryChange()
  const { book } = useRulebook()
  const grains = computed(() => book.value?.grains ?? [])
  const each = computed(() =>
    typeof route.query.each === 'string'
      ? route.query.each
      : grains.value.length && !grains.value.includes('month')
        ? grains.value[0]
        : 'month',
  )
  const query = useQuery({
    queryKey: computed(() => ['periods', each.value]),
    queryFn: () => need(api.GET('/api/periods', { params: { query: { each: each.value } } })),
  })
  const periods = computed(() => query.data.value ?? [])
  const named = computed(() => (typeof route.query.period === 'string' ? route.query.period : undefined))
  const period = computed(() => named.value ?? periods.value.at(-1)?.period)
  const label = computed(
    () => periods.value.find((p) => p.period === period.value)?.label ?? monthWords(period.value ?? ''),
  )
  const state = computed(() => periods.value.find((p) => p.period === period.value)?.state)
  const closed = computed(() => !!periods.value.find((p) => p.period === period.value)?.closed)
  const choose = (p: string) => change({ period: p, id: undefined, sweep: undefined })
  const chooseGrain = (grain: string) =>
    change({ each: grain === 'month' ? undefined : grain, period: undefined, id: undefined })
  return { query, periods, period, label, state, closed, choose, each, grains, chooseGrain }
}
