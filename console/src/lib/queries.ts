import type { QueryClient } from '@tanstack/vue-query'

/**
 * What the console asks the service for: the first word of every query's key, and by itself
 * what makes an answer stale. A key that is not here does not compile.
 */
const asked = [
  'absences',
  'audit',
  'calendar',
  'case histories',
  'case',
  'cases',
  'check',
  'clock',
  'compare',
  'dials',
  'draft',
  'exception',
  'exception-grid',
  'exception-trend',
  'exceptions',
  'faults',
  'figure over time',
  'intakes',
  'keys',
  'line-up',
  'measure over time',
  'measure spread',
  'measures',
  'methods',
  'notices',
  'overview',
  'parts',
  'people',
  'periods',
  'proposals',
  'register',
  'rehearsal',
  'rehearse-book',
  'rehearse-dial',
  'rehearse-routing',
  'revision',
  'revisions',
  'rulebook',
  'rules',
  'schedule',
  'session',
  'subject',
  'sweeps',
  'table',
  'targets',
  'todos',
  'tokens',
  'uses',
  'variance',
  'verdicts',
  'views',
] as const

type Asked = (typeof asked)[number]

declare module '@tanstack/vue-query' {
  interface Register {
    queryKey: readonly [Asked, ...unknown[]]
  }
}

/** What each change makes stale. 'all' is for what can change any figure: data, a revision, a sweep. */
export const stale = {
  absences: ['absences', 'cases'],
  // What the person did to cases. Figures, and with them small histories, stay what they are.
  cases: ['cases', 'case', 'todos', 'notices', 'exceptions', 'exception', 'overview', 'faults', 'rules'],
  // What others did to cases, of which every open page is told.
  casesOfOthers: ['cases', 'case'],
  draft: ['draft'],
  faults: ['faults'],
  notices: ['notices'],
  people: ['people'],
  tokens: ['tokens'],
  views: ['views'],
  all: asked,
} satisfies Record<string, readonly Asked[]>

/** A change that the person made here, or that the service told of. */
export type Change = keyof typeof stale

/**
 * Has what a change makes stale be asked for anew. What is on its way, and was asked before the
 * change, does not count: it would stand as new.
 */
export async function refresh(queries: QueryClient, change: Change) {
  const filters = stale[change].map((k) => ({ queryKey: [k] as [Asked] }))
  await Promise.all(filters.map((f) => queries.cancelQueries(f)))
  await Promise.all(filters.map((f) => queries.invalidateQueries(f)))
}
