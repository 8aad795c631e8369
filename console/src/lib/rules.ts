import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'

import { api, need } from './api'
import { usePeriod } from './period'

/** The rules in words, with what each said in the period of the URL. */
export function useRules() {
  const { period } = usePeriod()
  return useQuery({
    queryKey: computed(() => ['rules', period.value]),
    queryFn: () => need(api.GET('/api/rules', { params: { query: { period: period.value } } })),
    placeholderData: keepPreviousData,
  })
}
