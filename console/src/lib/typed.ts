import { onUnmounted, ref, watch, type Ref } from 'vue'

/** What is being typed; it reaches the word a moment after the last key. */
export function useTyped(word: Ref<string>) {
  const typed = ref(word.value)
  let rest: ReturnType<typeof setTimeout> | undefined
  watch(typed, (v) => {
    clearTimeout(rest)
    rest = setTimeout(() => {
      if (v.trim() !== word.value) word.value = v.trim()
    }, 250)
  })
  watch(word, (v) => {
    if (v !== typed.value.trim()) typed.value = v
  })
  // What is typed last does not reach into the next page.
  onUnmounted(() => clearTimeout(rest))
  return typed
}
