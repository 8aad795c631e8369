import type { QueryClient } from '@tanstack/vue-query'

/**
 * Has what is shown be asked for anew, of some keys or all of it. What is on its way, and was
 * asked before the change, does not count: it would stand as new.
 */
export async function refresh(queries: QueryClient, ...keys: string[]) {
  const filters = keys.length ? keys.map((k) => ({ queryKey: [k] })) : [{}]
  await Promise.all(filters.map((f) => queries.cancelQueries(f)))
  await Promise.all(filters.map((f) => queries.invalidateQueries(f)))
}
