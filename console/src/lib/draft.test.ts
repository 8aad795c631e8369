import { effectScope, ref } from 'vue'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'

import { Refusal } from './api'
import { againMs, restMs, useEdits, useKeeping } from './draft'

beforeEach(() => void vi.useFakeTimers())
afterEach(() => void vi.useRealTimers())

/** A service that answers when it is told to. */
function slow() {
  const sent: { text: string; answer: () => void; fail: (e: Error) => void }[] = []
  const put = (text: string) =>
    new Promise<void>((answer, fail) => void sent.push({ text, answer, fail: (e) => fail(e) }))
  return { sent, put }
}
const settle = () => vi.advanceTimersByTimeAsync(0)

describe('a text that is kept as it is changed', () => {
  it('keeps the last of what is typed, once the hand rests', async () => {
    const { sent, put } = slow()
    const keeping = useKeeping(put)
    keeping.change('a')
    await vi.advanceTimersByTimeAsync(restMs - 1)
    keeping.change('ab')
    await vi.advanceTimersByTimeAsync(restMs - 1)
    expect(sent).toHaveLength(0)
    await vi.advanceTimersByTimeAsync(1)
    expect(sent.map((s) => s.text)).toEqual(['ab'])
    expect(keeping.kept.value).toBe(false)
    sent[0].answer()
    await settle()
    expect(keeping.kept.value).toBe(true)
  })

  it('does not lose what is typed while a keeping is under way', async () => {
    const { sent, put } = slow()
    const keeping = useKeeping(put)
    keeping.change('first')
    await vi.advanceTimersByTimeAsync(restMs)
    keeping.change('first and second')
    sent[0].answer()
    await settle()
    expect(keeping.kept.value).toBe(false)
    expect(keeping.text.value).toBe('first and second')
    await vi.advanceTimersByTimeAsync(restMs)
    expect(sent[1].text).toBe('first and second')
    sent[1].answer()
    await settle()
    expect(keeping.kept.value).toBe(true)
  })

  it('keeps one after the other, never two at once', async () => {
    const { sent, put } = slow()
    const keeping = useKeeping(put)
    keeping.change('1')
    await vi.advanceTimersByTimeAsync(restMs)
    keeping.change('2')
    await vi.advanceTimersByTimeAsync(3 * restMs)
    expect(sent).toHaveLength(1)
    sent[0].answer()
    await settle()
    expect(sent.map((s) => s.text)).toEqual(['1', '2'])
  })

  it('says that a keeping failed, and tries again', async () => {
    const { sent, put } = slow()
    const keeping = useKeeping(put)
    keeping.change('x')
    await vi.advanceTimersByTimeAsync(restMs)
    sent[0].fail(new Error('The service does not answer.'))
    await settle()
    expect(keeping.trouble.value).toContain('The service does not answer.')
    expect(keeping.kept.value).toBe(false)
    await vi.advanceTimersByTimeAsync(againMs)
    sent[1].answer()
    await settle()
    expect(keeping.trouble.value).toBe('')
    expect(keeping.kept.value).toBe(true)
  })

  it('does not write over another window: it stops and says so', async () => {
    const { sent, put } = slow()
    const keeping = useKeeping(put)
    keeping.change('x')
    await vi.advanceTimersByTimeAsync(restMs)
    sent[0].fail(new Refusal({ type: 'urn:oskel:changed', title: '', status: 412 }))
    await settle()
    expect(keeping.trouble.value).toContain('another window')
    await vi.advanceTimersByTimeAsync(10 * againMs)
    expect(sent).toHaveLength(1)
  })

  it('keeps at once when it is asked to, and when its page is left', async () => {
    const { sent, put } = slow()
    const scope = effectScope()
    const keeping = scope.run(() => useKeeping(put))!
    keeping.change('x')
    const flushed = keeping.flush()
    await settle()
    sent[0].answer()
    expect(await flushed).toBe(true)
    keeping.change('xy')
    scope.stop()
    await settle()
    expect(sent.map((s) => s.text)).toEqual(['x', 'xy'])
  })
})

describe('edits by the service', () => {
  const late = <T>(value: T, ms: number) => new Promise<T>((done) => setTimeout(() => done(value), ms))

  it('build on one another though they are asked at once', async () => {
    const text = ref('')
    const { edit } = useEdits(text, (to) => (text.value = to))
    const both = Promise.all([edit((from) => late(from + 'a', 50)), edit((from) => late(from + 'b', 5))])
    await vi.advanceTimersByTimeAsync(100)
    expect(await both).toEqual([true, true])
    expect(text.value).toBe('ab')
  })

  it('are asked anew if the text was changed by hand meanwhile', async () => {
    const text = ref('old')
    const { edit } = useEdits(text, (to) => (text.value = to))
    const by = vi.fn((from: string) => late(from + '!', 50))
    const done = edit(by)
    await vi.advanceTimersByTimeAsync(10)
    text.value = 'by hand'
    await vi.advanceTimersByTimeAsync(200)
    await done
    expect(text.value).toBe('by hand!')
    expect(by).toHaveBeenCalledTimes(2)
  })

  it('say why one failed, and go on with the next', async () => {
    const text = ref('t')
    const { edit, trouble } = useEdits(text, (to) => (text.value = to))
    expect(await edit(() => Promise.reject(new Error('no such rule')))).toBe(false)
    expect(trouble.value).toBe('no such rule')
    expect(text.value).toBe('t')
    expect(await edit((from) => Promise.resolve(from + 'u'))).toBe(true)
    expect(trouble.value).toBe('')
    expect(text.value).toBe('tu')
  })
})
