<script setup lang="ts" generic="Row">
import type { LongRows } from '@/lib/paged'

/** A table of a long list: the rows in view, and room for those that are not. */
defineProps<{
  label: string
  list: LongRows<Row>
  /** How many rows head and foot have. */
  around: number
  /** Classes of a row that has come. */
  rowClass?: (row: Row) => string
}>()
defineSlots<{
  head(): unknown
  row(props: { row: Row }): unknown
  foot(): unknown
}>()
</script>

<template>
  <div :ref="list.attach" class="relative overflow-auto" role="region" :aria-label="label" tabindex="0">
    <table class="grid-table" :aria-rowcount="list.total + around">
      <thead class="sticky top-0 z-10 bg-paper">
        <slot name="head" />
      </thead>
      <tbody>
        <tr v-if="list.above" aria-hidden="true">
          <td class="!border-0 !p-0" :style="{ height: `${list.above}px` }"></td>
        </tr>
        <tr
          v-for="{ index, row } in list.rows"
          :key="index"
          :aria-rowindex="index + 2"
          :class="row && rowClass ? rowClass(row) : ''"
        >
          <th v-if="!row" scope="row" class="!font-normal">…</th>
          <slot v-else name="row" :row="row" />
        </tr>
        <tr v-if="list.below" aria-hidden="true">
          <td class="!border-0 !p-0" :style="{ height: `${list.below}px` }"></td>
        </tr>
      </tbody>
      <tfoot class="sticky bottom-0 z-10 bg-paper">
        <slot name="foot" />
      </tfoot>
    </table>
  </div>
</template>
