<script setup lang="ts">
import { computed } from 'vue'

/** What a method looks at, as a small drawing: dots are values, days or lines; the coloured ones are flagged. */
const props = defineProps<{ method: string }>()
type Dot = [x: number, y: number, flagged?: boolean]
interface Drawing {
  dots: Dot[]
  lines?: [x1: number, y1: number, x2: number, y2: number, dashed?: boolean][]
  bands?: [x: number, width: number][]
}
const row = (xs: number[], flagged: number[], y = 22): Dot[] => xs.map((x, i) => [x, y, flagged.includes(i)])
const peers = row([14, 20, 24, 27, 31, 36, 41, 78], [7])
const axis: Drawing['lines'] = [[4, 34, 92, 34]]
const drawings: Record<string, Drawing> = {
  'robust score': { dots: peers, lines: [...axis, [29, 10, 29, 34], [60, 10, 60, 34, true]] },
  silence: { dots: row([8, 16, 23, 32, 38], []), lines: [...axis, [86, 8, 86, 34, true]], bands: [[40, 46]] },
}
const drawing = computed(() => drawings[props.method] ?? drawings['robust score'])
</script>

<template>
  <svg viewBox="0 0 96 40" class="h-10 w-24 shrink-0 rounded border border-line bg-card" aria-hidden="true">
    <rect v-for="(b, i) in drawing.bands" :key="`b${i}`" :x="b[0]" y="8" :width="b[1]" height="26" class="fill-line" />
    <line
      v-for="(l, i) in drawing.lines"
      :key="`l${i}`"
      :x1="l[0]"
      :y1="l[1]"
      :x2="l[2]"
      :y2="l[3]"
      class="stroke-muted"
      stroke-width="1"
      :stroke-dasharray="l[4] ? '3 2' : undefined"
    />
    <template v-for="(p, i) in drawing.dots" :key="`d${i}`">
      <rect
        v-if="p[2]"
        :x="p[0] - 3"
        :y="p[1] - 3"
        width="6"
        height="6"
        class="fill-red"
        :transform="`rotate(45 ${p[0]} ${p[1]})`"
      />
      <circle v-else :cx="p[0]" :cy="p[1]" r="2" class="fill-muted" />
    </template>
  </svg>
</template>
