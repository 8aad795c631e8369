<script setup lang="ts">
import { computed, onBeforeUnmount, ref, watch } from 'vue'

import type { Schemas } from '@/lib/api'
import { numberWords } from '@/lib/format'
import { toneColour, useRulebook } from '@/lib/rulebook'
import { shapePath } from '@/lib/shapes'

/** All judged subjects in order of the value, the cuts drawn as lines with
 *  their numbers, the flagged in their shape, one named. */
const props = defineProps<{
  lineUp?: Schemas['Ranking']
  error?: Error | null
  pending?: boolean
  subject?: string
  title?: string
  /** The cuts may be moved: by hand, or with the arrow keys. */
  movable?: boolean
  /** Cuts as they are being moved, in the order of the line-up's own. */
  moved?: number[]
}>()
const emit = defineEmits<{ move: [index: number, value: number]; moveEnd: [index: number, value: number] }>()
const { grade } = useRulebook()
const data = computed(() => props.lineUp)

// As many units wide as pixels, so that letters keep their size.
const box = ref<HTMLElement>()
const wide = ref(520)
const size = new ResizeObserver(([e]) => (wide.value = Math.max(280, Math.round(e.contentRect.width))))
watch(box, (el) => {
  size.disconnect()
  if (el) size.observe(el)
})
onBeforeUnmount(() => size.disconnect())
const tall = 168
const pad = { left: 14, right: 76, top: 18, bottom: 22 }

// One record value must not flatten the rest: the scale holds the middle 94
// in a hundred and the cuts; what lies beyond sits at the edge, marked.
const scale = computed(() => {
  const values = (data.value?.points ?? []).map((p) => p.held)
  if (!values.length) return { low: 0, high: 1 }
  const at = (q: number) => values[Math.min(values.length - 1, Math.max(0, Math.round(q * (values.length - 1))))]
  const anchors = [at(0.03), at(0.97), ...(data.value?.cuts ?? [])] // not as moved, or the scale would run away
  const low = Math.min(...anchors)
  const high = Math.max(...anchors)
  const room = (high - low || Math.abs(high) || 1) * 0.18
  return { low: low - room, high: high + room }
})
const y = (v: number) => {
  const { low, high } = scale.value
  const share = Math.min(1, Math.max(0, (v - low) / (high - low)))
  return tall - pad.bottom - share * (tall - pad.top - pad.bottom)
}
const beyond = (v: number) => v > scale.value.high || v < scale.value.low
const dots = computed(() => {
  const points = data.value?.points ?? []
  const step = (wide.value - pad.left - pad.right) / Math.max(1, points.length - 1)
  return points.map((p, i) => ({ ...p, x: pad.left + i * step, y: y(p.held), own: p.key === props.subject }))
})
// With a group lit up the others step back, and stay.
const lit = computed(() => dots.value.some((d) => d.beside))
const radius = computed(() => (dots.value.length > 300 ? 1.6 : dots.value.length > 80 ? 2.2 : 3))
const own = computed(() => dots.value.find((d) => d.own))
const cuts = computed(() => {
  const texts = (props.moved ?? data.value?.cuts ?? []).map((c, index) => ({ cut: c, index, y: y(c), label: y(c) }))
  // Numbers that would lie over one another give way.
  texts.sort((a, b) => a.y - b.y)
  for (let i = 1; i < texts.length; i++) texts[i].label = Math.max(texts[i].label, texts[i - 1].label + 15)
  return texts
})
const drawing = ref<SVGSVGElement>()
const held = ref<number>() // the cut in hand
function valueAt(clientY: number) {
  const rect = drawing.value!.getBoundingClientRect()
  const at = ((clientY - rect.top) / rect.height) * tall
  const { low, high } = scale.value
  const share = (tall - pad.bottom - at) / (tall - pad.top - pad.bottom)
  return round(low + Math.min(1, Math.max(0, share)) * (high - low))
}
// A cut is moved in steps that can be read.
const step = computed(() => {
  const span = scale.value.high - scale.value.low
  return Math.pow(10, Math.floor(Math.log10(span || 1)) - 2)
})
const round = (v: number) => Number((Math.round(v / step.value) * step.value).toFixed(8))
function take(index: number, e: PointerEvent) {
  held.value = index
  ;(e.target as Element).setPointerCapture(e.pointerId)
}
function drag(e: PointerEvent) {
  if (held.value !== undefined) emit('move', held.value, valueAt(e.clientY))
}
function drop(e: PointerEvent) {
  if (held.value !== undefined) emit('moveEnd', held.value, valueAt(e.clientY))
  held.value = undefined
}
function nudge(index: number, cut: number, e: KeyboardEvent) {
  const by = { ArrowUp: 1, ArrowDown: -1, PageUp: 10, PageDown: -10 }[e.key]
  if (!by) return
  e.preventDefault()
  emit('moveEnd', index, round(cut + by * step.value))
}

// Without cuts, three values say how high the dots lie.
const guides = computed(() => {
  const points = data.value?.points ?? []
  if (!points.length || data.value?.cuts.length) return []
  const picks = [
    { what: 'lowest', held: points[0].held },
    { what: 'middle', held: points[Math.floor((points.length - 1) / 2)].held },
    { what: 'highest', held: points[points.length - 1].held },
  ].map((p) => ({ ...p, y: y(p.held), label: y(p.held) }))
  picks.sort((a, b) => a.y - b.y)
  for (let i = 1; i < picks.length; i++) picks[i].label = Math.max(picks[i].label, picks[i - 1].label + 15)
  return picks
})
// A name keeps clear of the numbers of the cuts, which stand to the right.
const nameAt = (d: { name: string; x: number }, more = 0) => {
  const half = (d.name.length + more) * 3.5 + 4
  return Math.max(half, Math.min(d.x, wide.value - pad.right - half))
}
const hover = ref<{ name: string; held: number; x: number; y: number }>()
const unit = computed(() => data.value?.unit ?? 'count')
const flaggedCount = computed(() => dots.value.filter((d) => d.grade).length)
const summary = computed(() => {
  const d = data.value
  if (!d) return ''
  const place = d.place ? ` ${own.value?.name} is ${d.place} of ${d.judged}, lowest first.` : ''
  const group = lit.value ? `, ${dots.value.filter((x) => x.beside).length} of them highlighted` : ''
  return `${d.judged.toLocaleString('en-GB')} in order${group}${flaggedCount.value ? `, ${flaggedCount.value} flagged` : ''}.${place}`
})
</script>

<template>
  <figure ref="box" class="max-w-[760px] min-w-0">
    <figcaption class="flex flex-wrap items-baseline justify-between gap-x-3 text-small">
      <span class="font-semibold">{{ title ?? data?.axis ?? 'Line-up' }}</span>
      <span class="text-muted">{{ summary }}</span>
    </figcaption>
    <p v-if="error" class="text-small text-muted">{{ error.message }}</p>
    <div v-else-if="pending" class="h-[168px] rounded bg-sunk" role="status">
      <span class="sr-only">Loading</span>
    </div>
    <p v-else-if="!dots.length" class="py-4 text-small text-muted">No subject was judged in this period.</p>
    <svg
      v-else
      ref="drawing"
      :viewBox="`0 0 ${wide} ${tall}`"
      class="block w-full"
      :role="movable ? 'group' : 'img'"
      :aria-label="`${data?.axis}. ${summary}`"
      @pointermove="drag"
      @pointerup="drop"
    >
      <g v-for="g in guides" :key="g.what">
        <line :x1="wide - pad.right" :x2="wide - pad.right + 6" :y1="g.y" :y2="g.y" stroke="var(--muted)" />
        <text :x="wide - pad.right + 10" :y="g.label + 4" class="figures" font-size="12" fill="var(--muted)">
          {{ numberWords(g.held, unit) }}
        </text>
      </g>
      <g v-for="c in cuts" :key="c.index">
        <line :x1="0" :x2="wide - pad.right + 6" :y1="c.y" :y2="c.y" stroke="var(--tide)" stroke-dasharray="4 3" />
        <text :x="wide - pad.right + 10" :y="c.label + 4" class="figures" font-size="12" fill="var(--tide)">
          {{ numberWords(c.cut, unit) }}
        </text>
      </g>
      <template v-for="d in dots" :key="d.key">
        <circle
          v-if="!d.grade && !d.own"
          :cx="d.x"
          :cy="d.y"
          :r="d.beside ? radius + 1 : radius"
          :fill="d.beside ? 'var(--tide)' : 'var(--muted)'"
          :opacity="d.beside ? 1 : lit ? 0.3 : 0.55"
        />
      </template>
      <template v-for="d in dots" :key="d.key">
        <path
          v-if="d.grade"
          :d="shapePath(grade(d.grade).shape)"
          :transform="`translate(${d.x} ${d.y}) scale(${d.own ? 1.15 : 0.85})`"
          :fill="toneColour(grade(d.grade).tone)"
          :opacity="lit && !d.beside && !d.own ? 0.4 : 1"
          @mouseenter="hover = d"
          @mouseleave="hover = undefined"
        />
        <path
          v-if="beyond(d.held)"
          :d="`M${d.x - 3} ${d.held > scale.high ? pad.top - 8 : tall - pad.bottom + 8}l3 ${d.held > scale.high ? -5 : 5}l3 ${d.held > scale.high ? 5 : -5}`"
          fill="none"
          stroke="var(--muted)"
        />
      </template>
      <g v-if="own">
        <circle v-if="!own.grade" :cx="own.x" :cy="own.y" r="4" fill="var(--ink)" />
        <circle :cx="own.x" :cy="own.y" r="9.5" fill="none" stroke="var(--ink)" stroke-width="1.4" />
        <text
          :x="nameAt(own)"
          :y="own.y > tall / 2 ? own.y - 15 : own.y + 23"
          text-anchor="middle"
          font-size="12"
          font-weight="600"
          fill="var(--ink)"
          stroke="var(--card)"
          stroke-width="3"
          paint-order="stroke"
        >
          {{ own.name }}
        </text>
      </g>
      <text
        v-if="hover"
        :x="nameAt(hover, 12)"
        :y="Math.max(12, hover.y - 10)"
        text-anchor="middle"
        font-size="12"
        fill="var(--ink)"
        stroke="var(--card)"
        stroke-width="3"
        paint-order="stroke"
      >
        {{ hover.name }}, {{ numberWords(hover.held, unit) }}
      </text>
      <template v-if="movable">
        <g
          v-for="c in cuts"
          :key="`handle ${c.index}`"
          class="cursor-ns-resize outline-none focus-visible:[&>circle]:stroke-ink"
          role="slider"
          tabindex="0"
          aria-orientation="vertical"
          :aria-label="`Cut ${c.index + 1}`"
          :aria-valuenow="c.cut"
          :aria-valuemin="scale.low"
          :aria-valuemax="scale.high"
          :aria-valuetext="numberWords(c.cut, unit)"
          @pointerdown="(e) => take(c.index, e)"
          @keydown="(e) => nudge(c.index, c.cut, e)"
        >
          <rect :x="0" :y="c.y - 6" :width="wide - pad.right" height="12" fill="transparent" />
          <circle :cx="wide - pad.right" :cy="c.y" r="5" fill="var(--tide)" stroke-width="2" stroke="var(--card)" />
        </g>
      </template>
      <text :x="pad.left + 14" :y="tall - 4" font-size="11" fill="var(--muted)">lowest</text>
      <text :x="wide - pad.right" :y="tall - 4" font-size="11" text-anchor="end" fill="var(--muted)">highest</text>
    </svg>
  </figure>
</template>
