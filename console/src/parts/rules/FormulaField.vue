<script setup lang="ts">
import { computed, ref, useId } from 'vue'

/** A formula or condition: names are completed as they are typed, and what is
 *  wrong stands under it. */
const props = defineProps<{
  label: string
  names: { name: string; title: string }[]
  faults?: string[]
  placeholder?: string
  wide?: boolean
}>()
const model = defineModel<string>({ required: true })
const field = ref<HTMLInputElement>()
const id = useId()
const word = ref('')
const chosen = ref(0)
const open = ref(false)
const matches = computed(() => {
  if (!open.value || word.value.length < 1) return []
  const w = word.value.toLowerCase()
  const starts = props.names.filter((n) => n.name.toLowerCase().startsWith(w))
  const holds = props.names.filter((n) => !n.name.toLowerCase().startsWith(w) && n.name.toLowerCase().includes(w))
  const all = [...starts, ...holds].filter((n) => n.name !== word.value)
  return all.slice(0, 8)
})
function look() {
  const at = field.value?.selectionStart ?? 0
  word.value = /[A-Za-z_][\w.]*$/.exec(field.value!.value.slice(0, at))?.[0] ?? ''
  chosen.value = 0
}
function type(e: Event) {
  model.value = (e.target as HTMLInputElement).value
  open.value = true
  look()
}
function take(name: string) {
  const at = field.value?.selectionStart ?? 0
  const before = model.value.slice(0, at - word.value.length)
  model.value = before + name + model.value.slice(at)
  open.value = false
  requestAnimationFrame(() => {
    field.value?.focus()
    field.value?.setSelectionRange(before.length + name.length, before.length + name.length)
  })
}
function key(e: KeyboardEvent) {
  if (!matches.value.length) return
  const step = { ArrowDown: 1, ArrowUp: -1 }[e.key]
  if (step) {
    e.preventDefault()
    chosen.value = (chosen.value + step + matches.value.length) % matches.value.length
  } else if (e.key === 'Enter' || e.key === 'Tab') {
    e.preventDefault()
    take(matches.value[chosen.value].name)
  } else if (e.key === 'Escape') {
    e.stopPropagation()
    open.value = false
  }
}
</script>

<template>
  <div class="relative" :class="wide ? 'w-full' : ''">
    <input
      ref="field"
      :value="model"
      class="field w-full font-mono text-small"
      :class="faults?.length ? '!border-red' : ''"
      :placeholder="placeholder"
      :aria-label="label"
      role="combobox"
      autocomplete="off"
      :aria-expanded="matches.length > 0"
      :aria-controls="`${id}-list`"
      :aria-activedescendant="matches.length ? `${id}-${chosen}` : undefined"
      :aria-invalid="faults?.length ? true : undefined"
      @input="type"
      @keydown="key"
      @click="look"
      @blur="open = false"
    />
    <ul
      v-show="matches.length"
      :id="`${id}-list`"
      role="listbox"
      :aria-label="`Names for ${label}`"
      class="absolute z-20 mt-1 max-w-md min-w-full overflow-hidden rounded border border-line bg-card py-1 shadow-lg"
    >
      <li
        v-for="(m, i) in matches"
        :id="`${id}-${i}`"
        :key="m.name"
        role="option"
        :aria-selected="i === chosen"
        class="cursor-pointer truncate px-2 py-0.5"
        :class="i === chosen ? 'bg-tide-soft' : ''"
        @mousedown.prevent="take(m.name)"
      >
        <span class="font-mono text-small">{{ m.name }}</span> <span class="text-small text-muted">{{ m.title }}</span>
      </li>
    </ul>
    <p v-for="f in faults" :key="f" class="mt-0.5 text-small text-red" role="alert">{{ f }}</p>
  </div>
</template>
