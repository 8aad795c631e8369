// The one way to the service: typed by the contract, problems as errors.
import createClient from 'openapi-fetch'

import type { components, paths } from './api.gen'

export type Schemas = components['schemas']
export type Problem = Schemas['Problem']

const client = createClient<paths>({ baseUrl: location.origin, fetch: (asked) => fetch(asked) })

/** A sentence of the service begins as one, unless a name comes first, such as nov.csv. */
export const sentence = (text: string) => (/^\p{Ll}+[ ,:]/u.test(text) ? text[0].toUpperCase() + text.slice(1) : text)

/** Refusal is a problem the service answered with. */
export class Refusal extends Error {
  readonly problem: Problem
  constructor(of: Problem) {
    const problem = { ...of, detail: of.detail && sentence(of.detail) }
    super(problem.detail ?? problem.title)
    this.problem = problem
  }
}

/** onSignedOut is called when a call finds nobody signed in. */
let signedOut = () => {}
export function onSignedOut(then: () => void) {
  signedOut = then
}

type Answer<T> = { data?: T; error?: unknown; response: Response }

/** The data of an answer, or its problem thrown as a Refusal. */
export async function need<T>(answer: Promise<Answer<T>>): Promise<T> {
  const { data, error, response } = await answer
  if (response.ok) return data as T
  const problem = (error ?? {}) as Partial<Problem>
  if (response.status === 401 && problem.type === 'urn:oskel:sign-in') signedOut()
  throw new Refusal({
    type: problem.type ?? 'about:blank',
    title: problem.title ?? response.statusText,
    status: response.status,
    detail: problem.detail ?? `The service answered ${response.status}.`,
    faults: problem.faults,
  })
}

export const api = client
