<script setup lang="ts">
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
    <path v-if="shape === 'diamond'" d="M7 0.6 13.4 7 7 13.4 0.6 7z" fill="currentColor" />
    <path v-else-if="shape === 'triangle'" d="M7 1.2 13.4 12.6H0.6z" fill="currentColor" />
    <rect v-else-if="shape === 'square'" x="1.6" y="1.6" width="10.8" height="10.8" fill="currentColor" />
    <path v-else-if="shape === 'cross'" d="M2 2 12 12M12 2 2 12" stroke="currentColor" stroke-width="3" />
    <g v-else-if="shape === 'no data'" fill="none" stroke="currentColor" stroke-width="1.4">
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
    <circle v-else cx="7" cy="7" r="6" fill="currentColor" />
  </svg>
</template>
