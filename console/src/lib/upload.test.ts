import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'

import { Cancelled, guessOf, useUpload } from './upload'

const feeds = [{ name: 'sales' }, { name: 'visits' }]
const kinds = [{ name: 'rep' }, { name: 'customer' }]
const guess = (file: string, header: string) => guessOf(file, header, feeds, kinds)

it('tells a register, targets and lines apart', () => {
  expect(guess('x.csv', 'rep,name,region')).toEqual({ into: 'register', name: 'rep' })
  expect(guess('x.csv', 'rep,month,revenue')).toEqual({ into: 'targets', name: 'rep' })
  expect(guess('x.csv', 'day,rep,customer,net')).toEqual({ into: 'feed', name: 'sales' })
  expect(guess('x.csv', 'rep,customer,day,net')).toEqual({ into: 'feed', name: 'sales' })
})
it('goes by the name of the file where there are several feeds', () =>
  expect(guess('visits-2026-10.csv', 'day,rep')).toEqual({ into: 'feed', name: 'visits' }))
it('is not misled by what some programs write at the start of a file', () =>
  expect(guess('x.csv', '\uFEFFrep,name')).toEqual({ into: 'register', name: 'rep' }))
it('says nothing where there is nothing to say', () => expect(guessOf('x', 'a,b', [], [])).toBeUndefined())

/** A request that is answered when it is told to be. */
class Request {
  static all: Request[] = []
  upload: { onprogress?: (e: object) => void } = {}
  status = 0
  statusText = ''
  responseText = ''
  url = ''
  aborted = false
  onload = () => {}
  onerror = () => {}
  onabort = () => {}
  onloadend = () => {}
  open(_: string, url: string) {
    this.url = url
    Request.all.push(this)
  }
  setRequestHeader() {}
  send() {}
  abort() {
    this.aborted = true
    this.onabort()
    this.onloadend()
  }
  answer(status: number, body: unknown) {
    this.status = status
    this.responseText = typeof body === 'string' ? body : JSON.stringify(body)
    this.onload()
    this.onloadend()
  }
}

describe('a file on its way', () => {
  const file = new File(['a'], 'o&t.csv')
  beforeEach(() => {
    Request.all = []
    vi.stubGlobal('XMLHttpRequest', Request)
  })
  afterEach(() => void vi.unstubAllGlobals())

  it('is sent with what it is, and says how far it has come', async () => {
    const { send, progress, busy } = useUpload()
    const done = send(file, {
      into: 'feed',
      name: 'sales',
      replace: '2026-10',
      correct: undefined,
      allow_duplicates: false,
    })
    const [r] = Request.all
    const query = new URL(r.url, 'http://x').searchParams
    expect(Object.fromEntries(query)).toEqual({ file: 'o&t.csv', into: 'feed', name: 'sales', replace: '2026-10' })
    r.upload.onprogress!({ lengthComputable: true, loaded: 3, total: 4 })
    expect(progress.value).toBe(0.75)
    expect(busy.value).toBe(true)
    r.answer(201, { id: 4 })
    expect(await done).toEqual({ id: 4 })
    expect(busy.value).toBe(false)
  })

  it('can be given up, and what it would have said is not heard', async () => {
    const { send, cancel, busy } = useUpload()
    const done = send(file, { into: 'feed', name: 'sales' })
    cancel()
    await expect(done).rejects.toBeInstanceOf(Cancelled)
    expect(Request.all[0].aborted).toBe(true)
    expect(busy.value).toBe(false)
  })

  it('gives way to the next', async () => {
    const { send, progress } = useUpload()
    const first = send(file, { into: 'feed', name: 'sales' })
    const second = send(file, { into: 'feed', name: 'sales', dry_run: true })
    await expect(first).rejects.toBeInstanceOf(Cancelled)
    // What the first still says is nobody's.
    Request.all[0].upload.onprogress!({ lengthComputable: true, loaded: 1, total: 2 })
    expect(progress.value).toBe(0)
    Request.all[1].answer(200, { rows: 1 })
    expect(await second).toEqual({ rows: 1 })
  })

  it('is refused with the faults, in words even where the answer is none', async () => {
    const { send } = useUpload()
    const refused = send(file, { into: 'feed', name: 'sales' })
    Request.all[0].answer(422, {
      type: 'urn:oskel:file-refused',
      title: 'x',
      status: 422,
      detail: '1 fault',
      faults: [],
    })
    await expect(refused).rejects.toMatchObject({ message: '1 fault', problem: { type: 'urn:oskel:file-refused' } })
    const odd = send(file, { into: 'feed', name: 'sales' })
    Request.all[1].answer(502, '<html>bad gateway</html>')
    await expect(odd).rejects.toMatchObject({ problem: { status: 502, detail: '<html>bad gateway</html>' } })
    const lost = send(file, { into: 'feed', name: 'sales' })
    Request.all[2].onerror()
    await expect(lost).rejects.toThrow('The service does not answer.')
  })
})
