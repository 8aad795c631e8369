<script setup lang="ts">
import { computed } from 'vue'

import { addressOf, keptOf } from '@/lib/kept'
import { useKept } from '@/lib/keptlists'
import { usePeople } from '@/lib/people'
import type { FigureTable } from '@/lib/table'

/** The name of the kept table that is shown, the text above it, and whether it was changed since it was opened. */
const props = defineProps<{ of: FigureTable }>()
const { tables } = useKept()
const { nameOf } = usePeople()
const kept = computed(() => tables.data.value?.find((t) => String(t.id) === props.of.words.kept.value))
const plain = (words: Record<string, string>) =>
  Object.entries(words)
    .sort(([a], [b]) => a.localeCompare(b))
    .join('|')
const changed = computed(
  () => kept.value?.table && plain(addressOf(kept.value.table)) !== plain(addressOf(keptOf(props.of, ''))),
)
</script>

<template>
  <header v-if="kept" class="px-4 pt-3">
    <h2 class="text-title font-semibold">{{ kept.name }}</h2>
    <p v-if="kept.table?.text_above" class="max-w-3xl whitespace-pre-line">{{ kept.table.text_above }}</p>
    <p class="text-small text-muted print:hidden">
      Kept by {{ nameOf(kept.owner) }}, {{ kept.shared ? 'shared' : 'not shared'
      }}<template v-if="changed">
        · Changed here, not yet kept.
        <RouterLink class="text-tide underline" :to="{ path: `/tables/${kept.id}`, query: { period: of.period.value } }"
          >Show it as kept</RouterLink
        ></template
      >
    </p>
  </header>
  <p v-else-if="tables.data.value" role="alert" class="px-4 pt-3 text-amber">
    This was opened from a kept table that is not there any more.
  </p>
</template>
