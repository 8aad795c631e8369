<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '@/lib/api'
import { toneColour, useRulebook } from '@/lib/rulebook'

/** The last periods of a figure as a small line, with a dot where it is marked. Missing values part it. */
const props = defineProps<{ points: Schemas['LinePoint'][] }>()
const { grade } = useRulebook()
const wide = 72
const tall = 16
const drawn = computed(() => {
  const values = props.points.flatMap((p) => p.value ?? [])
  const [low, high] = [Math.min(...values), Math.max(...values)]
  const step = wide / Math.max(1, props.points.length - 1)
  const at = (i: number, v: number) => ({ x: i * step, y: tall - 2 - ((tall - 4) * (v - low)) / (high - low || 1) })
  const spots = props.points.map((p, i) => (p.value === undefined ? undefined : { ...at(i, p.value), grade: p.grade }))
  let path = ''
  spots.forEach((s, i) => (path += s ? `${i && spots[i - 1] ? 'L' : 'M'}${s.x.toFixed(1)} ${s.y.toFixed(1)}` : ''))
  return {
    path,
    dots: spots.flatMap((s) => (s?.grade ? { x: s.x, y: s.y, colour: toneColour(grade(s.grade).tone) } : [])),
    alone: spots.flatMap((s, i) => (s && !spots[i - 1] && !spots[i + 1] ? s : [])),
  }
})
</script>

<template>
  <svg :viewBox="`-3 0 ${wide + 6} ${tall}`" class="inline-block h-4 w-20 align-middle" aria-hidden="true">
    <path :d="drawn.path" fill="none" stroke="var(--muted)" stroke-width="1.4" />
    <circle v-for="(s, i) in drawn.alone" :key="i" :cx="s.x" :cy="s.y" r="1.2" fill="var(--muted)" />
    <circle v-for="(d, i) in drawn.dots" :key="`m${i}`" :cx="d.x" :cy="d.y" r="2.6" :fill="d.colour" />
  </svg>
</template>
