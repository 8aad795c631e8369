import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'

import { api, need } from './api'

/** The accounts, and the names by which people know them. */
export function usePeople() {
  const query = useQuery({ queryKey: ['people'], queryFn: () => need(api.GET('/api/people')), staleTime: 60_000 })
  const names = computed(() => new Map((query.data.value ?? []).map((p) => [p.name, p.display_name])))
  /** The display name of an account; what is no account, such as a sweep, stands as it is. */
  const nameOf = (account?: string) => names.value.get(account ?? '') ?? account ?? ''
  return { query, nameOf }
}
