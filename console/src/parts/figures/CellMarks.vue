<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '@/lib/api'
import { useRulebook } from '@/lib/rulebook'
import ShapeMark from '@/parts/ui/ShapeMark.vue'

/** The marks of a cell side by side, the most serious first: three, then how many more. */
const props = defineProps<{ marks: Schemas['RowMark'][] }>()
const { grade } = useRulebook()
const most = 3
const words = computed(() => props.marks.map((m) => `${grade(m.grade).label}: ${m.sentence} (${m.title})`).join('\n'))
</script>

<template>
  <span v-if="marks.length" class="mr-1 inline-flex items-center gap-0.5 align-middle" :title="words">
    <ShapeMark
      v-for="(m, i) in marks.slice(0, most)"
      :key="i"
      :shape="grade(m.grade).shape"
      :tone="grade(m.grade).tone"
    />
    <span v-if="marks.length > most" class="text-small text-muted" aria-hidden="true">+{{ marks.length - most }}</span>
    <span class="sr-only">{{ words }}</span>
  </span>
</template>
