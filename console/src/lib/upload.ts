import { computed, ref } from 'vue'

import { Refusal, type Problem, type Schemas } from './api'
import type { paths } from './api.gen'

/** What is asked of the service with a file, beside its name. */
export type Sending = Omit<paths['/api/intakes']['post']['parameters']['query'], 'file'>
export type Into = Sending['into']

/** Sends a file; progress is 0 to 1 while it is on its way. It can be cancelled. */
export function useUpload() {
  const progress = ref<number>()
  let request: XMLHttpRequest | undefined
  const busy = computed(() => progress.value !== undefined)
  function send<T extends Schemas['Intake'] | Schemas['IntakeReport']>(file: File, to: Sending): Promise<T> {
    cancel()
    const query = new URLSearchParams({ file: file.name })
    for (const [k, v] of Object.entries(to)) if (v) query.set(k, String(v))
    progress.value = 0
    return new Promise<T>((resolve, reject) => {
      const r = (request = new XMLHttpRequest())
      r.open('POST', `/api/intakes?${query}`)
      r.setRequestHeader('Content-Type', 'text/csv')
      r.upload.onprogress = (e) => {
        if (r === request && e.lengthComputable) progress.value = e.loaded / e.total
      }
      r.onload = () => {
        const answer = read(r.responseText)
        if (r.status < 300) resolve(answer as T)
        else reject(new Refusal({ type: 'about:blank', title: r.statusText, status: r.status, ...answer } as Problem))
      }
      r.onerror = () => reject(new Error('The service does not answer.'))
      r.onabort = () => reject(new Cancelled())
      r.onloadend = () => {
        if (r === request) progress.value = undefined
      }
      r.send(file)
    })
  }
  function cancel() {
    request?.abort()
    request = undefined
    progress.value = undefined
  }
  return { send, cancel, progress, busy }
}

/** Says that a sending was given up. */
export class Cancelled extends Error {}

function read(text: string): object {
  try {
    return JSON.parse(text)
  } catch {
    return { detail: text }
  }
}

/** What a file's name and first line say it holds, as far as they say it. */
export function guessOf(
  file: string,
  header: string,
  feeds: { name: string }[],
  kinds: { name: string }[],
): { into: Into; name: string } | undefined {
  const columns = header.split(',').map((c) => c.trim().replace(/^\uFEFF/, ''))
  const kind = kinds.find((k) => k.name === columns[0])
  if (kind && columns[1] === 'month') return { into: 'targets', name: kind.name }
  if (kind && !columns.some((c) => kinds.some((k) => k !== kind && k.name === c)))
    return { into: 'register', name: kind.name }
  const feed = feeds.find((f) => file.toLowerCase().startsWith(f.name)) ?? feeds[0]
  return feed && { into: 'feed', name: feed.name }
}
