import { computed } from 'vue'

import { useRulebook } from './rulebook'
import { useRules } from './rules'

const named = (all: { name: string; title: string }[] | undefined) =>
  (all ?? []).map((x) => ({ value: x.name, text: x.title }))

/** What lists are narrowed by: each thing of the rulebook by its title. */
export function useChoices() {
  const { book, grades } = useRulebook()
  const { data } = useRules()
  return {
    desks: computed(() => named(book.value?.desks)),
    feeds: computed(() => named(book.value?.feeds)),
    rules: computed(() => named(data.value)),
    grades: computed(() => grades.value.map((g) => ({ value: g.name, text: g.label }))),
    kinds: computed(() => (book.value?.kinds ?? []).map((k) => ({ value: k.name, text: k.plural ?? k.title }))),
  }
}
