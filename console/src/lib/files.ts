import type { paths } from './api.gen'

type Files = '/api/reports/file' | '/api/exceptions/file' | '/api/table/{form}' | '/api/audit/export'

/** Where the service writes a file, with what is asked of it; the contract says what may be. */
export function fileAt<P extends Files>(path: P, asked: paths[P]['get']['parameters']['query']) {
  const query = Object.entries(asked ?? {}).filter(([, v]) => v !== undefined && v !== '' && v !== false)
  return `${path}?${new URLSearchParams(query.map(([k, v]) => [k, String(v)]))}`
}

/** The forms in which the service writes reports and exceptions. */
export type Form = paths['/api/reports/file']['get']['parameters']['query']['form']

/** Puts the page on paper. */
export const onPaper = () => window.print()
