import { ref, watch, type WatchSource } from 'vue'

/** The numbers of what is ticked in a list; none are once any of the sources changes. */
export function useChosen(until: WatchSource[]) {
  const chosen = ref(new Set<number>())
  const chooseNone = () => void (chosen.value = new Set())
  watch(until, chooseNone)
  function choose(id: number) {
    const next = new Set(chosen.value)
    if (!next.delete(id)) next.add(id)
    chosen.value = next
  }
  return { chosen, choose, chooseNone }
}
