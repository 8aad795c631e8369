import { flushPromises } from '@vue/test-utils'
import { ref } from 'vue'
import { beforeEach, expect, it, vi } from 'vitest'

import type { Act } from './acts'
import { useCase } from './case'
import { inside } from './inside'

const service = vi.hoisted(() => {
  const s = {
    asked: [] as { method: string; path: string }[],
    hold: undefined as Promise<void> | undefined, // answers to changes wait for it
    refuse: false,
  }
  globalThis.fetch = (async (request: Request) => {
    const path = new URL(request.url).pathname
    s.asked.push({ method: request.method, path })
    if (request.method === 'GET')
      return Response.json({ id: Number(path.split('/')[3]), version: 7, case: { id: Number(path.split('/')[3]) } })
    await s.hold
    return s.refuse
      ? Response.json(
          { type: 'urn:oskel:changed', title: 'Changed', status: 412, detail: 'Moved on.' },
          { status: 412 },
        )
      : Response.json([{ id: 4, version: 8 }])
  }) as typeof fetch
  return s
})
beforeEach(() => void Object.assign(service, { asked: [], hold: undefined, refuse: false }))
const changes = () => service.asked.filter((a) => a.method !== 'GET').map((a) => `${a.method} ${a.path}`)

it('files a finding under the case it was meant for, though one has moved on', async () => {
  const id = ref(4)
  const done: Act[] = []
  const { out, queries } = await inside(() => useCase(id, (s) => done.push(s)))
  await flushPromises()
  let go = () => {}
  service.hold = new Promise((r) => (go = r))
  out.act.mutate({ cases: [{ id: 4, version: 7 }], do: 'settle', finding: 'confirmed', text: 'called' })
  await flushPromises()
  id.value = 5 // on to the next before the answer
  await flushPromises()
  go()
  await flushPromises()
  expect(changes()).toEqual(['POST /api/cases/acts'])
  expect(queries.getQueryData(['case', 4])).toMatchObject({ id: 4 })
  expect(queries.getQueryData(['case', 5])).toMatchObject({ id: 5 })
  expect(done).toEqual([]) // what is open now is not told that it is done
})

it('tells what is open when its own step is done', async () => {
  const done: Act[] = []
  const { out } = await inside(() => useCase(ref(4), (s) => done.push(s)))
  out.act.mutate({ cases: [{ id: 4 }], do: 'comment', text: 'seen' })
  await flushPromises()
  expect(changes()).toEqual(['POST /api/cases/acts'])
  expect(done.map((s) => s.do)).toEqual(['comment'])
})

it('reads the case anew when somebody else was first', async () => {
  service.refuse = true
  const { out } = await inside(() => useCase(ref(4), () => {}))
  await flushPromises()
  const before = service.asked.length
  out.act.mutate({ cases: [{ id: 4, version: 6 }], do: 'take' })
  await flushPromises()
  expect(out.act.error.value?.message).toBe('Moved on.')
  expect(service.asked.slice(before).map((a) => a.method)).toEqual(['POST', 'GET'])
})
