<script setup lang="ts">
import { computed } from 'vue'

import type { Past } from '@/lib/evidence'
import { numberWords, monthWords } from '@/lib/format'
import { toneColour, useRulebook } from '@/lib/rulebook'
import { roundAxis } from '@/lib/scale'
import { shapePath } from '@/lib/shapes'
import ShapeMark from '@/parts/ui/ShapeMark.vue'

/** A subject's own past: values by period, the centre and limits they are held
 *  against, what a trend expects dashed, and the values that decided. */
const props = defineProps<{ past: Past; unit: string; title: string; grade: string }>()
const { grade: gradeOf } = useRulebook()
const mark = computed(() => gradeOf(props.grade))
const wide = 560
const tall = 190
const pad = { left: 12, right: 78, top: 12, bottom: 22 }
const values = computed(() => props.past.points.flatMap((p) => (p.value === undefined ? [] : [p.value])))
const lines = computed(() =>
  [
    { text: 'limit', at: props.past.low },
    { text: 'centre', at: props.past.centre },
    { text: 'limit', at: props.past.high },
  ].filter((l): l is { text: string; at: number } => l.at !== undefined),
)
const scale = computed(() => {
  const all = [...values.value, ...lines.value.map((l) => l.at)]
  const axis = roundAxis(
    values.value,
    lines.value.map((l) => l.at),
  )
  const low = Math.min(...all)
  const high = Math.max(...all)
  // Where all lie far from zero the scale need not begin there: it is the step that is looked at.
  if (low > 0 && low > (high - low) * 1.5) {
    const room = (high - low || high) * 0.15
    return { min: low - room, max: high + room }
  }
  return { min: axis.min, max: axis.max }
})
const x = (i: number) => pad.left + (i * (wide - pad.left - pad.right)) / Math.max(1, props.past.points.length - 1)
const y = (v: number) => {
  const { min, max } = scale.value
  const share = Math.min(1, Math.max(0, (v - min) / (max - min || 1)))
  return tall - pad.bottom - share * (tall - pad.top - pad.bottom)
}
/** A line through what is there; what is missing parts it. */
function path(of: (i: number) => number | undefined) {
  let out = ''
  let pen = false
  props.past.points.forEach((_, i) => {
    const v = of(i)
    if (v !== undefined) out += `${pen ? 'L' : 'M'}${x(i)} ${y(v)}`
    pen = v !== undefined
  })
  return out
}
const labels = computed(() => {
  const shown = lines.value.map((l) => ({ ...l, y: y(l.at), label: y(l.at) })).sort((a, b) => a.y - b.y)
  for (let i = 1; i < shown.length; i++) shown[i].label = Math.max(shown[i].label, shown[i - 1].label + 13)
  return shown.filter((l, i) => i === 0 || l.at !== shown[i - 1].at)
})
const last = computed(() => props.past.points.length - 1)
const number = (v: number) => numberWords(v, props.unit, (scale.value.max - scale.value.min) / 200)
const described = computed(
  () =>
    `${props.title}: ${values.value.length} values, ${props.past.points.filter((p) => p.marked).length} of them marked`,
)
</script>

<template>
  <figure>
    <svg :viewBox="`0 0 ${wide} ${tall}`" class="w-full" role="img" :aria-label="described">
      <template v-for="(l, i) in labels" :key="i">
        <line
          :x1="pad.left"
          :x2="wide - pad.right"
          :y1="l.y"
          :y2="l.y"
          class="stroke-muted"
          :stroke-dasharray="l.text === 'limit' ? '4 3' : undefined"
          stroke-width="1"
        />
        <text :x="wide - pad.right + 6" :y="l.label + 4" class="fill-muted text-[11px]">{{ number(l.at) }}</text>
      </template>
      <path :d="path((i) => past.points[i].fitted)" class="fill-none stroke-tide" stroke-dasharray="2 3" />
      <path :d="path((i) => past.points[i].value)" class="fill-none stroke-ink" stroke-width="1.2" />
      <template v-for="(p, i) in past.points" :key="p.period + i">
        <template v-if="p.value !== undefined">
          <path
            v-if="p.marked"
            :d="shapePath(mark.shape)"
            :transform="`translate(${x(i)} ${y(p.value)}) scale(0.8)`"
            :fill="toneColour(mark.tone)"
          />
          <circle v-else :cx="x(i)" :cy="y(p.value)" r="2.4" class="fill-ink" />
        </template>
        <text v-else :x="x(i)" :y="tall - pad.bottom - 4" text-anchor="middle" class="fill-muted text-[10px]">—</text>
      </template>
      <text :x="pad.left" :y="tall - 6" class="fill-muted text-[11px]">{{ monthWords(past.points[0].period) }}</text>
      <text :x="x(last)" :y="tall - 6" text-anchor="end" class="fill-muted text-[11px]">
        {{ monthWords(past.points[last].period) }}
      </text>
    </svg>
    <figcaption class="text-small text-muted">
      <ShapeMark :shape="mark.shape" :tone="mark.tone" /> what decided · dashed:
      {{ past.since ? 'the level before' : 'limits'
      }}<template v-if="past.points.some((p) => p.fitted !== undefined)">
        · dotted: {{ past.since ? 'the level of each period' : 'what was expected' }}</template
      >
      · — no value
    </figcaption>
  </figure>
</template>
