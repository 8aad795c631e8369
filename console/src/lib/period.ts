import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRoute } from 'vue-router'

import { api, need } from './api'
import { monthWords } from './format'
import { useQueryChange } from './query'

/** The periods of the strip, and the one that the URL names: else the newest. */
export function usePeriod() {
  const route = useRoute()
  const change = useQueryChange()
  const query = useQuery({ queryKey: ['periods'], queryFn: () => need(api.GET('/api/periods')) })
  const periods = computed(() => query.data.value ?? [])
  const named = computed(() => (typeof route.query.period === 'string' ? route.query.period : undefined))
  const period = computed(() => named.value ?? periods.value.at(-1)?.period)
  const label = computed(
    () => periods.value.find((p) => p.period === period.value)?.label ?? monthWords(period.value ?? ''),
  )
  const state = computed(() => periods.value.find((p) => p.period === period.value)?.state)
  const choose = (p: string) => change({ period: p, id: undefined })
  return { query, periods, period, label, state, choose }
}
