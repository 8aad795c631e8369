<script setup lang="ts">
import { ArrowDownIcon, ArrowUpIcon } from '@heroicons/vue/20/solid'
import { computed } from 'vue'

import type { Drawing } from '@/lib/drawing'
import { countWords } from '@/lib/format'
import { useNewestInSight } from '@/lib/query'
import { headOf, type Column, type FigureTable, type Row } from '@/lib/table'
import ColumnMenu from '@/parts/figures/ColumnMenu.vue'
import FigureRow from '@/parts/figures/FigureRow.vue'
import LongTable from '@/parts/figures/LongTable.vue'

/** Rows and columns of figures under their heads, with the total; `still` where nothing of it is changed. */
const props = defineProps<{ of: FigureTable; draw: Drawing; still?: boolean; label?: string }>()
const emit = defineEmits<{ open: [cell: string] }>()
const { words, periodic, one, shown, picked, lookOf, setLook, dials, sort, descending, sortBy, question, table } =
  props.of
const { columns, list } = props.of
const { formula } = words
const head = (c: Column) => headOf(props.of, c)

function move(measure: string, by: number) {
  const names = [...picked.value]
  const at = names.indexOf(measure)
  names.splice(at + by, 0, ...names.splice(at, 1))
  picked.value = names
}
const hide = (measure: string) =>
  measure === formula.value ? (formula.value = '') : (picked.value = picked.value.filter((m) => m !== measure))

useNewestInSight('box', () => periodic.value && columns.value.length)
const whole = computed<Row>(() => ({
  key: 'all',
  name: 'Total',
  cells: table.value?.whole ?? [],
  marks: table.value?.whole_marks,
}))
</script>

<template>
  <LongTable
    ref="box"
    class="figures"
    :label="label ?? 'Figures'"
    :list="list"
    :around="2"
    :row-class="(r) => (r.depth ? 'bg-sunk font-semibold' : '')"
  >
    <template #head>
      <tr>
        <th
          scope="col"
          class="sticky left-0 z-[1] bg-paper"
          :aria-sort="sort === 0 ? (descending ? 'descending' : 'ascending') : 'none'"
        >
          <button class="font-semibold hover:text-tide" @click="sortBy(0)">Name</button>
          <button
            class="ml-3 font-semibold hover:text-tide"
            :class="sort === -1 ? 'text-tide' : ''"
            :aria-pressed="sort === -1"
            @click="sortBy(-1)"
          >
            Marks first
          </button>
        </th>
        <th
          v-for="({ column: c, at }, i) in columns"
          :key="c.measure + c.period + c.across"
          scope="col"
          class="!text-right"
          :aria-sort="sort === at + 1 ? (descending ? 'descending' : 'ascending') : 'none'"
        >
          <button
            class="inline-flex items-center justify-end gap-1 font-semibold hover:text-tide"
            @click="sortBy(at + 1)"
          >
            <component
              :is="descending ? ArrowDownIcon : ArrowUpIcon"
              v-if="sort === at + 1"
              class="size-3.5 text-tide"
              aria-hidden="true"
            />{{ head(c) }}
            <span v-if="c.groups" class="font-normal" :title="`Groups and the total: ${c.groups}`" aria-hidden="true"
              >*</span
            >
          </button>
          <span
            v-if="c.rules.length"
            class="ml-1 font-normal text-muted"
            :title="c.rules.map((r) => `${r.title}: ${r.count} marked`).join('\n')"
            >{{ countWords(c.rules.length, 'rule') }}</span
          >
          <ColumnMenu
            v-if="!still"
            class="print:hidden"
            :column="c"
            :look="lookOf(c.measure)"
            :dials="dials"
            :alone="one || periodic"
            :first="shown[0] === c.measure"
            :last="shown.at(-1) === c.measure"
            @look="(l) => setLook(c.measure, l)"
            @move="(by) => move(c.measure, by)"
            @hide="hide(c.measure)"
          />
          <p v-if="draw.scales.value[i] && 'fault' in draw.scales.value[i]!" role="alert" class="text-red">
            {{ (draw.scales.value[i] as { fault: string }).fault }}
          </p>
        </th>
      </tr>
    </template>
    <template #row="{ row: r }">
      <FigureRow :of="of" :draw="draw" :row="r" @open="(c) => emit('open', c)" />
    </template>
    <template v-if="question.by !== 'whole'" #foot>
      <tr>
        <FigureRow :of="of" :draw="draw" :row="whole" whole @open="(c) => emit('open', c)" />
      </tr>
    </template>
  </LongTable>
</template>
