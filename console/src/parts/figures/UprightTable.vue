<script setup lang="ts">
import type { FigureTable, Upright } from '@/lib/table'
import CellMarks from '@/parts/figures/CellMarks.vue'

/** Periods in rows, the newest first, with measures as columns. */
defineProps<{ of: FigureTable; table: Upright; label?: string }>()
</script>

<template>
  <div class="relative overflow-auto" role="region" :aria-label="label ?? 'Figures'" tabindex="0">
    <table class="grid-table figures">
      <thead class="sticky top-0 z-10 bg-paper">
        <tr>
          <th scope="col" class="sticky left-0 bg-paper">Period</th>
          <th v-for="m in table.measures" :key="m.measure" scope="col" class="!text-right">{{ m.title }}</th>
        </tr>
      </thead>
      <tbody>
        <template v-for="r in table.rows" :key="r.period">
          <tr v-if="r.year" class="bg-sunk">
            <th scope="rowgroup" :colspan="table.measures.length + 1" class="!font-semibold">{{ r.year }}</th>
          </tr>
          <tr>
            <th scope="row" class="sticky left-0 bg-paper !text-base !font-normal !text-ink">{{ r.label }}</th>
            <td v-for="(c, i) in r.cells" :key="i" class="text-right whitespace-nowrap">
              <CellMarks v-if="of.words.on.value !== 'none'" :marks="c.marks" />
              <span v-if="c.rank" class="mr-1 text-small" :class="c.rank === 'last' ? 'text-muted' : 'text-tide'">{{
                c.rank
              }}</span>
              <span :class="c.text ? '' : 'text-muted'" :title="c.why">{{ c.text || '–' }}</span>
            </td>
          </tr>
        </template>
      </tbody>
    </table>
  </div>
</template>
