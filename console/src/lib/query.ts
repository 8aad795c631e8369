import { computed, nextTick, useTemplateRef, watch } from 'vue'
import { useRoute, useRouter, type LocationQueryRaw } from 'vue-router'

// What the query will be once the steps under way have been taken: a second
// change builds on the first even before the page has followed.
let coming: LocationQueryRaw | undefined

/** Changes words of the URL's query; undefined takes one away. */
export function useQueryChange() {
  const route = useRoute()
  const router = useRouter()
  return async (part: LocationQueryRaw) => {
    const to = { ...(coming ?? route.query), ...part }
    coming = to
    try {
      await router.replace({ query: to })
    } finally {
      if (coming === to) coming = undefined
    }
  }
}

/** The newest period stands at the right: it is what one looks for first. */
export function useNewestInSight(name: string, there: () => unknown) {
  const box = useTemplateRef<{ $el: HTMLElement } | HTMLElement>(name)
  watch(
    there,
    async (is) => {
      await nextTick()
      const element = box.value && ('$el' in box.value ? box.value.$el : box.value)
      if (is) element?.scrollTo({ left: element.scrollWidth })
    },
    { immediate: true },
  )
}

/** What is selected in a list, by a word of the URL; selecting it again lets it go. */
export function useSelected(name: string) {
  const selected = useQueryWord(name)
  const open = (which: number | string) => void (selected.value = selected.value === String(which) ? '' : String(which))
  return { selected, open }
}

/** A word of the URL's query that can be read and set; empty takes it away. */
export function useQueryWord(name: string) {
  const route = useRoute()
  const change = useQueryChange()
  return computed<string>({
    get: () => (typeof route.query[name] === 'string' ? (route.query[name] as string) : ''),
    set: (value) => void change({ [name]: value || undefined }),
  })
}
