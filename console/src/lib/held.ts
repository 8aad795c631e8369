import type { Directive } from 'vue'

/** A field with what stands in it while it has the focus. */
type Held = (HTMLInputElement | HTMLTextAreaElement) & { typed?: string; wanted?: string; dirty?: boolean }

const stopped = new WeakMap<Held, () => void>()

/**
 * A field is never rewritten while it has the focus: what comes meanwhile, such as an answer
 * to what was typed before, stands in it once it is left, unless something was typed there.
 * Every field of a template has it, see vite.config.ts.
 */
export const held: Directive<Held> = {
  mounted(el) {
    const type = () => (el.dirty = true)
    const change = () => (el.dirty = false)
    const leave = () => {
      if (!el.dirty && el.wanted !== undefined && el.value !== el.wanted) el.value = el.wanted
      el.wanted = undefined
    }
    el.addEventListener('input', type)
    el.addEventListener('change', change)
    el.addEventListener('blur', leave)
    stopped.set(el, () => {
      el.removeEventListener('input', type)
      el.removeEventListener('change', change)
      el.removeEventListener('blur', leave)
    })
  },
  beforeUpdate(el) {
    el.typed = document.activeElement === el && el.dirty ? el.value : undefined
  },
  updated(el) {
    if (el.typed === undefined || el.value === el.typed) return
    const { selectionStart: from, selectionEnd: to } = el
    el.wanted = el.value
    el.value = el.typed
    if (from !== null && to !== null) el.setSelectionRange(from, to)
  },
  beforeUnmount(el) {
    stopped.get(el)?.()
  },
}
