<script setup lang="ts">
import { computed } from 'vue'

import type { Drawing } from '@/lib/drawing'
import type { Column, FigureTable, Row } from '@/lib/table'
import CellBar from '@/parts/figures/CellBar.vue'
import CellLine from '@/parts/figures/CellLine.vue'
import CellMarks from '@/parts/figures/CellMarks.vue'

/** The cells of one row: its name, then its figures with all that is drawn on them. */
const props = defineProps<{ of: FigureTable; draw: Drawing; row: Row; whole?: boolean }>()
const emit = defineEmits<{ open: [cell: string] }>()
const { columns, gathered, words, across } = props.of
const r = computed(() => props.row)
const by = computed(() => (props.whole ? 'whole' : r.value.by))
const rest = computed(() => (by.value ? [by.value] : []))
const cellOf = (c: Column) =>
  [
    c.measure,
    c.across && props.whole ? c.across : r.value.key,
    c.period,
    ...(c.across && props.whole ? [props.of.across.value!] : rest.value),
  ].join('|')
const ofRow = computed(() => ['', r.value.key, props.of.question.value.period, ...rest.value].join('|'))
const depth = computed(() => (r.value.depth ?? (gathered.value ? gathered.value.split(',').length + 1 : 1)) - 1)
const found = computed(() => {
  const text = words.text.value.toLowerCase()
  const named = !text || words.light.value !== 'yes' || `${r.value.name} ${r.value.key}`.toLowerCase().includes(text)
  const flagged = words.flagged.value !== 'light' || !!r.value.marks?.length
  return props.whole || !!r.value.depth || (named && flagged)
})
const cells = computed(() =>
  columns.value.map((c, i) => {
    const cell = r.value.cells[c.at] ?? { text: '' }
    const marks = props.draw.marksOn(r.value.marks, r.value, c.column)
    const tone = props.draw.coloured(marks, 'tint')
    return {
      ...c,
      cell,
      marks,
      rank: props.whole ? '' : props.draw.rank(r.value, c),
      title: props.whole ? (cell.why ?? '') : props.draw.placeOf(r.value, c),
      background:
        (tone && `color-mix(in srgb, ${tone} 16%, transparent)`) ||
        (props.whole ? undefined : props.draw.tinted(r.value, i)),
      colour: props.draw.coloured(marks, 'figure'),
      bar: props.whole ? undefined : props.draw.bar(r.value, i),
      direction: props.draw.direction(c.column, cell),
      line: props.draw.kindAt(c.column) === 'line' ? cell.line : undefined,
      name: cellOf(c.column),
    }
  }),
)
const beside = computed(() => props.draw.marksOn(r.value.marks, r.value))
const tint = computed(() => props.draw.rowTint(r.value))
</script>

<template>
  <th
    scope="row"
    class="sticky left-0 z-[1] max-w-96 !border-line !text-base !text-ink"
    :class="[
      r.depth ? 'bg-sunk !font-semibold' : whole ? '!border-t bg-paper' : 'bg-paper !font-normal',
      found ? '' : 'pale',
    ]"
    :style="{
      paddingLeft: whole ? undefined : `${8 + 16 * depth}px`,
      backgroundImage: tint && `linear-gradient(${tint}, ${tint})`,
    }"
  >
    <bdi class="inline-block max-w-72 truncate align-bottom max-sm:max-w-36" :title="r.name">{{
      whole ? 'Total' : r.name || '(none)'
    }}</bdi>
    <span v-if="!whole && r.key !== r.name" class="ml-1 font-mono text-small text-muted">{{ r.key }}</span>
    <button v-if="beside.length" class="ml-1" @click="emit('open', ofRow)">
      <CellMarks :marks="beside" />
    </button>
    <span v-if="r.why && !whole" class="ml-1 text-small text-muted max-sm:sr-only">{{ r.why }}</span>
  </th>
  <td
    v-for="(c, i) in cells"
    :key="i"
    class="!p-0 text-right whitespace-nowrap"
    :class="[
      whole ? 'border-t font-semibold' : '',
      found ? '' : 'pale',
      across && !c.column.across ? 'font-semibold' : '',
    ]"
    :style="{ background: c.background || tint }"
  >
    <button
      class="block h-8 w-full px-2 text-right hover:bg-tide-soft"
      :class="words.cell.value === c.name ? 'bg-tide-soft outline outline-tide' : ''"
      :title="c.title"
      @click="emit('open', c.name)"
    >
      <CellMarks :marks="c.marks" />
      <span v-if="c.rank" class="mr-1 text-small" :class="c.rank.includes('last') ? 'text-muted' : 'text-tide'">{{
        c.rank
      }}</span>
      <CellLine v-if="c.line" :points="c.line" class="mr-1" />
      <span v-if="c.direction" class="mr-1" :style="{ color: `var(--${c.direction.tone})` }"
        >{{ c.direction.sign }}<span class="sr-only">{{ c.direction.words }}</span></span
      >
      <span :class="[c.cell.text ? '' : 'text-muted', c.colour ? 'font-bold' : '']" :style="{ color: c.colour }">{{
        c.cell.text || '–'
      }}</span><span v-if="!c.cell.text" class="sr-only">{{ c.cell.why }}</span>
      <CellBar v-if="c.bar" v-bind="c.bar" />
    </button>
  </td>
</template>
