import { onBeforeUnmount, onMounted, ref } from 'vue'

import type { ActName } from './acts'

/** The keys by which a list of cases is worked without the mouse. */
export const triageKeys: { key: string; words: string; act?: ActName }[] = [
  { key: 'j', words: 'next' },
  { key: 'k', words: 'previous case' },
  { key: 'o', words: 'open or close' },
  { key: 'x', words: 'select, for bulk actions' },
  { key: 't', words: 'take', act: 'take' },
  { key: 'r', words: 'return to desk', act: 'return' },
  { key: 's', words: 'settle', act: 'settle' },
  { key: 'h', words: 'hand over', act: 'hand over' },
  { key: 'p', words: 'park', act: 'park' },
  { key: 'a', words: 'ask', act: 'ask' },
  { key: 'c', words: 'comment', act: 'comment' },
  { key: 'u', words: 'undo' },
  { key: '?', words: 'keyboard shortcuts' },
]

/** Hears the keys of triage wherever nothing is being typed and nothing lies over the page. */
export function useTriage(on: {
  step: (by: number) => void
  open: () => void
  choose: () => void
  act: (what: ActName) => void
  undo: () => void
}) {
  const help = ref(false)
  function hear(e: KeyboardEvent) {
    const at = e.target as HTMLElement
    if (e.ctrlKey || e.metaKey || e.altKey || document.querySelector('[aria-modal=true],[role=listbox],[role=menu]'))
      return
    if (at.closest('input:not([type=checkbox]), textarea, select, [contenteditable]')) return
    const known = triageKeys.find((k) => k.key === e.key)
    if (!known) {
      if (e.key === 'Escape') help.value = false
      return
    }
    e.preventDefault()
    if (known.act) on.act(known.act)
    else if (e.key === 'j') on.step(1)
    else if (e.key === 'k') on.step(-1)
    else if (e.key === 'o') on.open()
    else if (e.key === 'x') on.choose()
    else if (e.key === 'u') on.undo()
    else help.value = !help.value
  }
  onMounted(() => window.addEventListener('keydown', hear))
  onBeforeUnmount(() => window.removeEventListener('keydown', hear))
  return { help }
}
