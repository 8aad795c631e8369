import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { api, need } from './api'
import { monthWords } from './format'

/** The periods of the strip, and the one that the URL names: else the newest. */
export function usePeriod() {
  const route = useRoute()
  const router = useRouter()
  const query = useQuery({ queryKey: ['periods'], queryFn: () => need(api.GET('/api/periods')) })
  const periods = computed(() => query.data.value ?? [])
  const named = computed(() => (typeof route.query.period === 'string' ? route.query.period : undefined))
  const period = computed(() => named.value ?? periods.value.at(-1)?.period)
  const label = computed(
    () => periods.value.find((p) => p.period === period.value)?.label ?? monthWords(period.value ?? ''),
  )
  const state = computed(() => periods.value.find((p) => p.period === period.value)?.state)
  const choose = (p: string) => router.replace({ query: { ...route.query, period: p, id: undefined } })
  return { query, periods, period, label, state, choose }
}
