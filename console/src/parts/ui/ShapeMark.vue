<script setup lang="ts">
import { shapePath } from '@/lib/shapes'
import { toneColour } from '@/lib/rulebook'

defineProps<{ shape: string; tone: string }>()
</script>

<template>
  <svg
    viewBox="0 0 14 14"
    class="inline-block size-3.5 shrink-0"
    :style="{ color: toneColour(tone) }"
    aria-hidden="true"
  >
    <g v-if="shape === 'no data'" fill="none" stroke="currentColor" stroke-width="1.4">
      <rect x="1.7" y="1.7" width="10.6" height="10.6" />
      <path d="M4.4 7h5.2" />
    </g>
    <circle
      v-else-if="shape === 'not judged'"
      cx="7"
      cy="7"
      r="5.4"
      fill="none"
      stroke="currentColor"
      stroke-width="1.4"
      stroke-dasharray="2.2 2"
    />
    <path v-else :d="shapePath(shape)" transform="translate(7 7)" fill="currentColor" />
  </svg>
</template>
