<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '@/lib/api'
import { countWords } from '@/lib/format'
import { toneColour, useRulebook } from '@/lib/rulebook'
import { shapePath } from '@/lib/shapes'

/** What a rule held of a subject in the last periods, small, with its cuts and where it was flagged. */
const props = defineProps<{ of: Schemas['CaseHistory'] }>()
const { grade } = useRulebook()
const wide = 116
const tall = 28
const x = (i: number) => 4 + (i * (wide - 10)) / Math.max(1, props.of.held.length - 1)
const range = computed(() => {
  const held = props.of.held.filter((v) => v !== null)
  const low = Math.min(...held)
  const high = Math.max(...held)
  // A cut that is far from all that was held would flatten it.
  const reach = (high - low || Math.abs(high) || 1) * 1.5
  const near = props.of.cuts.filter((c) => c >= low - reach && c <= high + reach)
  const all = [...held, ...near]
  return { low: Math.min(...all), high: Math.max(...all), near }
})
const y = (v: number) => {
  const { low, high } = range.value
  return high === low ? tall / 2 : 4 + ((high - v) * (tall - 8)) / (high - low)
}
// Where no two that follow one another are held, such as of a window once a year, they are joined.
const apart = computed(() => !props.of.held.some((v, i, all) => v !== null && i > 0 && all[i - 1] !== null))
/** A line where two that follow one another are held. */
const line = computed(() => {
  let path = ''
  props.of.held.forEach((v, i) => {
    if (v === null) return
    path += `${path && (apart.value || props.of.held[i - 1] !== null) ? 'L' : 'M'}${x(i).toFixed(1)} ${y(v).toFixed(1)}`
  })
  return path
})
const flags = computed(() => props.of.grades.flatMap((g, i) => (g && props.of.held[i] !== null ? [{ g, i }] : [])))
const words = computed(() => {
  const n = props.of.grades.filter((g) => g).length
  return `${props.of.title}, ${countWords(props.of.held.length, 'period')}: flagged in ${n}`
})
</script>

<template>
  <svg
    :viewBox="`0 0 ${wide} ${tall}`"
    :style="{ width: wide + 'px', height: tall + 'px' }"
    class="shrink-0"
    role="img"
    :aria-label="words"
  >
    <title>{{ words }}</title>
    <path
      v-for="c in range.near"
      :key="c"
      :d="`M0 ${y(c)}H${wide}`"
      class="stroke-tide"
      stroke-dasharray="3 2"
      stroke-width="1"
    />
    <path :d="line" fill="none" class="stroke-muted" stroke-width="1.25" />
    <path
      v-for="f in flags"
      :key="f.i"
      :d="shapePath(grade(f.g).shape)"
      :transform="`translate(${x(f.i)} ${y(of.held[f.i]!)}) scale(0.55)`"
      :fill="toneColour(grade(f.g).tone)"
    />
  </svg>
</template>
