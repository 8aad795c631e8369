<script setup lang="ts">
import { ref, type Ref } from 'vue'
import { useRouter } from 'vue-router'

import type { Schemas } from '@/lib/api'
import { useDrawing } from '@/lib/drawing'
import { addressOf } from '@/lib/kept'
import { useTable, useUpright } from '@/lib/table'
import FiguresTable from '@/parts/figures/FiguresTable.vue'
import TableLegend from '@/parts/figures/TableLegend.vue'
import UprightTable from '@/parts/figures/UprightTable.vue'
import QueryState from '@/parts/ui/QueryState.vue'

/** A kept table on a board: it is sorted here as one likes, and opened where all else is done. */
const props = defineProps<{ view: Schemas['View'] }>()
const kept = props.view.table!
const words: Record<string, Ref<string>> = {}
const address = addressOf(kept)
const of = useTable((name) => (words[name] ??= ref(address[name] ?? '')))
const draw = useDrawing(of)
const upright = useUpright(of)
const { table, total, label, period, gone } = of
const { error, isPending, refetch } = of.first
const router = useRouter()
const open = (cell: string) =>
  void router.push({
    path: '/figures',
    query: { ...address, kept: String(props.view.id), period: period.value, cell },
  })
</script>

<template>
  <p v-if="kept.text_above" class="px-2 pb-1 text-small whitespace-pre-line text-muted">{{ kept.text_above }}</p>
  <p v-if="gone.length" role="alert" class="px-2 pb-1 text-small text-amber">
    Left out, since the rulebook has no such measure at this level: {{ gone.join(', ') }}.
  </p>
  <QueryState v-if="!table" :loading="isPending" :error="error" @retry="refetch()" />
  <QueryState v-else-if="!total" :empty="`There is nothing to show for ${label}.`" />
  <template v-else>
    <UprightTable v-if="upright" class="min-h-0 flex-1" :label="`Figures of ${view.name}`" :of="of" :table="upright" />
    <FiguresTable
      v-else
      class="min-h-0 flex-1"
      :label="`Figures of ${view.name}`"
      :of="of"
      :draw="draw"
      still
      @open="open"
    />
    <TableLegend
      slim
      class="max-h-24 shrink-0 overflow-auto !px-2 !py-1"
      :entries="of.words.on.value === 'none' ? [] : (table.legend ?? [])"
      :scales="draw.legend.value"
      :notes="draw.notes.value"
    />
  </template>
</template>
