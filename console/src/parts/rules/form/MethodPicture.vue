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
const past = (ys: number[], flagged: number[]): Dot[] => ys.map((y, i) => [8 + i * 9, y, flagged.includes(i)])
const calm = [24, 20, 23, 21, 25, 22, 20, 24, 22]
const limits: Drawing['lines'] = [
  [4, 14, 92, 14, true],
  [4, 22, 92, 22],
  [4, 30, 92, 30, true],
]
const drawings: Record<string, Drawing> = {
  'robust score': { dots: peers, lines: [...axis, [29, 10, 29, 34], [60, 10, 60, 34, true]] },
  'standard score': { dots: peers, lines: [...axis, [34, 10, 34, 34], [70, 10, 70, 34, true]] },
  'quartile fences': { dots: peers, lines: [...axis, [62, 8, 62, 34, true]], bands: [[22, 17]] },
  'generalised ESD': { dots: row([14, 20, 24, 27, 31, 36, 70, 84], [6, 7]), lines: axis },
  'false discovery rate': { dots: row([8, 26, 30, 33, 36, 39, 43, 88], [0, 7]), lines: axis, bands: [[20, 30]] },
  percentile: { dots: row([10, 20, 30, 40, 50, 60, 70, 80, 88], [8]), lines: [...axis, [84, 8, 84, 34, true]] },
  'top or bottom': { dots: row([10, 22, 30, 44, 52, 66, 80, 88], [6, 7]), lines: axis },
  'position in range': { dots: row([8, 20, 24, 31, 40, 52, 88], [6]), lines: [...axis, [80, 8, 80, 34, true]] },
  'own past': { dots: past([...calm, 8], [9]), lines: limits },
  'same season': { dots: past([12, 26, 25, 13, 26, 25, 12, 25, 26, 30], [9]), lines: [[4, 13, 92, 13, true]] },
  'deviation from trend': { dots: past([32, 30, 28, 27, 24, 22, 21, 18, 16, 30], [9]), lines: [[4, 34, 92, 13, true]] },
  'control chart': { dots: past([...calm, 8], [9]), lines: limits },
  EWMA: { dots: past([24, 22, 23, 22, 21, 20, 19, 17, 15, 12], [9]), lines: limits },
  CUSUM: { dots: past([24, 23, 24, 19, 20, 18, 19, 18, 17, 18], [9]), lines: [[4, 23, 92, 23]] },
  'level shift': {
    dots: past([28, 27, 29, 28, 27, 14, 13, 15, 14, 13], [5, 6, 7, 8, 9]),
    lines: [
      [4, 28, 48, 28, true],
      [49, 14, 92, 14, true],
    ],
  },
  silence: { dots: row([8, 16, 23, 32, 38], []), lines: [...axis, [86, 8, 86, 34, true]], bands: [[40, 46]] },
  burst: { dots: row([8, 34, 52, 56, 60, 64, 86], [2, 3, 4, 5]), lines: axis, bands: [[48, 20]] },
  followed: {
    dots: [
      [26, 14],
      [58, 26, true],
    ],
    lines: axis,
    bands: [[26, 40]],
  },
  unanswered: { dots: [[26, 14]], lines: [...axis, [66, 8, 66, 34, true]], bands: [[26, 40]] },
  shift: {
    dots: [...row([10, 18, 26, 34], [], 14), ...row([62, 70, 78, 86], [0, 1, 2, 3], 28)],
    lines: [...axis, [48, 6, 48, 34]],
  },
  during: {
    dots: [...row([10, 22], [], 26), ...row([44, 50, 56], [0, 1, 2], 14), ...row([76, 86], [], 26)],
    lines: axis,
    bands: [[38, 24]],
  },
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
