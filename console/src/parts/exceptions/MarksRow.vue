<script setup lang="ts">
import { computed } from 'vue'

import { monthWords } from '@/lib/format'
import { toneColour, useRulebook } from '@/lib/rulebook'
import { shapePath } from '@/lib/shapes'

/** How one flag stood in the last periods, the oldest first: its grade's shape where it
 *  was flagged, a ring where it had cleared. */
const props = defineProps<{ marks: string[]; periods: string[] }>()
const { grade } = useRulebook()
const cleared = '-'
const flagged = (m: string) => m !== '' && m !== cleared
const words = computed(() => {
  const when = props.marks.flatMap((m, i) => (flagged(m) ? [`${monthWords(props.periods[i])} ${grade(m).label}`] : []))
  return `Flagged in ${when.length} of the last ${props.marks.length}: ${when.join(', ')}`
})
</script>

<template>
  <svg
    :viewBox="`0 0 ${marks.length * 9} 8`"
    :style="{ width: marks.length * 9 + 'px' }"
    class="inline-block h-2 shrink-0"
    role="img"
    :aria-label="words"
  >
    <title>{{ words }}</title>
    <g v-for="(m, i) in marks" :key="i" :transform="`translate(${i * 9} 0)`">
      <path
        v-if="flagged(m)"
        :d="shapePath(grade(m).shape)"
        transform="translate(4 4) scale(0.63)"
        :fill="toneColour(grade(m).tone)"
      />
      <circle v-else-if="m === cleared" cx="4" cy="4" r="2.4" fill="none" class="stroke-muted" />
      <path v-else d="M2.5 4h3" class="stroke-line" />
    </g>
  </svg>
</template>
