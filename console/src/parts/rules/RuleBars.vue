<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '@/lib/api'
import { shortPeriod } from '@/lib/format'

/** How many a rule flagged, period by period. */
const props = defineProps<{ points: Schemas['RulePoint'][]; title: string }>()
const most = computed(() => Math.max(1, ...props.points.map((p) => p.flagged)))
const words = (p: Schemas['RulePoint']) =>
  p.swept
    ? `${p.label}: ${p.flagged} flagged of ${p.judged.toLocaleString('en-GB')} judged`
    : `${p.label}: not swept, or the rule was not there`
</script>

<template>
  <ul class="mt-1 flex items-end gap-1" :aria-label="`Flagged by ${title}`">
    <li v-for="(p, i) in points" :key="p.period" class="flex w-7 flex-col items-center" :title="words(p)">
      <span class="sr-only">{{ words(p) }}</span>
      <span aria-hidden="true" class="figures text-small" :class="p.flagged ? '' : 'text-muted'">{{
        p.swept ? p.flagged : '–'
      }}</span>
      <span
        aria-hidden="true"
        class="block w-5"
        :class="p.swept ? 'bg-muted' : ''"
        :style="{ height: p.swept ? 1 + (p.flagged / most) * 34 + 'px' : '1px' }"
      ></span>
      <span aria-hidden="true" class="text-small whitespace-nowrap text-muted"
        >{{ i % 3 === 0 ? shortPeriod(p.period, p.label, false) : '' }}&nbsp;</span
      >
    </li>
  </ul>
</template>
