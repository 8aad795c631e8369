<script setup lang="ts">
import { computed } from 'vue'

import { dayNumber, type Events } from '@/lib/evidence'
import { dayWords } from '@/lib/format'

/** Dated lines on a time line: events, their windows, and the answers or their absence. */
const props = defineProps<{ events: Events; feeds: (name: string) => string }>()
const wide = 560
const iso = (day: number) => new Date(day * 86_400_000).toISOString().slice(0, 10)
const pad = { left: 12, right: 12 }
const span = computed(() => {
  const days = [
    ...props.events.lines.map((l) => dayNumber(l.day)),
    ...props.events.windows.flatMap((w) => [dayNumber(w.first), dayNumber(w.last)]),
  ]
  const first = Math.min(...days)
  const last = Math.max(...days)
  const room = Math.max(1, Math.round((last - first) * 0.04))
  return { first: first - room, last: last + room }
})
const x = (day: number) =>
  pad.left +
  ((day - span.value.first) / Math.max(1, span.value.last - span.value.first)) * (wide - pad.left - pad.right)
// What comes after an event names its day, and is of the days behind it.
const windows = computed(() =>
  props.events.windows.map((w) => (w.role === 'after' ? { ...w, first: iso(dayNumber(w.first) + 1) } : w)),
)
const rows = computed(() => {
  const roles = [...new Set(props.events.lines.map((l) => `${l.role ?? ''}\u0000${l.feed}`))]
  return roles.map((r) => {
    const [role, feed] = r.split('\u0000')
    return { role, feed, lines: props.events.lines.filter((l) => (l.role ?? '') === role && l.feed === feed) }
  })
})
const top = 8
const rowHeight = 30
const tall = computed(() => top + Math.max(1, rows.value.length) * rowHeight + 22)
const base = computed(() => tall.value - 20)
const described = computed(() => {
  const { lines, windows } = props.events
  const [first, last] = [span.value.first, span.value.last].map((day) => dayWords(iso(day)))
  return `${lines.length} lines and ${windows.length} windows from ${first} to ${last}`
})
</script>

<template>
  <figure>
    <svg :viewBox="`0 0 ${wide} ${tall}`" class="w-full" role="img" :aria-label="described">
      <rect
        v-for="(w, i) in windows"
        :key="`w${i}`"
        :x="x(dayNumber(w.first)) - 2"
        :y="top"
        :width="Math.max(4, x(dayNumber(w.last)) - x(dayNumber(w.first)) + 4)"
        :height="base - top"
        :class="w.broke ? 'fill-red' : 'fill-muted'"
        fill-opacity="0.14"
      />
      <line :x1="pad.left" :x2="wide - pad.right" :y1="base" :y2="base" class="stroke-line" />
      <template v-for="(row, r) in rows" :key="row.feed + row.role">
        <text :x="pad.left" :y="top + r * rowHeight + 10" class="fill-muted text-[11px]">{{ feeds(row.feed) }}</text>
        <template v-for="(l, i) in row.lines" :key="i">
          <rect
            v-if="row.role === 'answer'"
            :x="x(dayNumber(l.day)) - 3"
            :y="top + r * rowHeight + 16"
            width="6"
            height="6"
            class="fill-tide"
          />
          <circle v-else :cx="x(dayNumber(l.day))" :cy="top + r * rowHeight + 19" r="3.2" class="fill-ink" />
        </template>
      </template>
      <text :x="pad.left" :y="tall - 5" class="fill-muted text-[11px]">{{ dayWords(iso(span.first)) }}</text>
      <text :x="wide - pad.right" :y="tall - 5" text-anchor="end" class="fill-muted text-[11px]">
        {{ dayWords(iso(span.last)) }}
      </text>
    </svg>
    <ol class="figures mt-1 text-small">
      <li v-for="(w, i) in windows" :key="i" class="text-muted">
        {{ dayWords(w.first) }} to {{ dayWords(w.last) }}<template v-if="w.role">, {{ w.role }}</template>
      </li>
      <li v-if="events.more" class="text-muted">{{ events.more }} earlier lines are not shown.</li>
    </ol>
  </figure>
</template>
