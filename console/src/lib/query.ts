import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'

/** A word of the URL's query that can be read and set; empty takes it away. */
export function useQueryWord(name: string) {
  const route = useRoute()
  const router = useRouter()
  return computed<string>({
    get: () => (typeof route.query[name] === 'string' ? (route.query[name] as string) : ''),
    set: (value) => void router.replace({ query: { ...route.query, [name]: value || undefined } }),
  })
}
