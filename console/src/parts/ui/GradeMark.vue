<script setup lang="ts">
import { computed } from 'vue'

import { toneColour, useRulebook } from '@/lib/rulebook'
import ShapeMark from '@/parts/ui/ShapeMark.vue'

/** A grade as shape, colour and word; what is cleared recedes. */
const props = defineProps<{ grade: string; state?: string; outcome?: string }>()
const { grade: find } = useRulebook()
const g = computed(() => find(props.grade))
</script>

<template>
  <span v-if="state === 'cleared'" class="text-muted whitespace-nowrap">Cleared</span>
  <span
    v-else
    class="inline-flex items-center gap-1.5 font-semibold whitespace-nowrap"
    :style="{ color: toneColour(g.tone) }"
  >
    <ShapeMark :shape="g.shape" :tone="g.tone" />{{ g.label }}
    <span v-if="outcome === 'no data'" class="inline-flex items-center gap-1 font-normal text-muted">
      <ShapeMark shape="no data" tone="grey" />No data
    </span>
  </span>
</template>
