<script setup lang="ts">
import type { Schemas } from '@/lib/api'
import { numberWords } from '@/lib/format'
import { tintOf, type Scale } from '@/lib/looks'
import GradeMark from '@/parts/ui/GradeMark.vue'

/** What the marks of a table mean and how many there are, then its scales and its bars. */
defineProps<{
  entries: Schemas['LegendEntry'][]
  scales?: { title: string; unit: string; good: string; scale: Scale }[]
  notes: string[]
  /** In one column, where there is little room. */
  slim?: boolean
}>()
const steps = (s: Scale) => [0, 1, 2, 3, 4, 5, 6, 7].map((i) => s.low + ((s.high - s.low) * i) / 7)
</script>

<template>
  <section v-if="entries.length || notes.length || scales?.length" class="px-4 py-3 text-small" aria-label="Legend">
    <ul v-if="entries.length" class="gap-x-8" :class="slim ? '' : 'lg:columns-2'">
      <li v-for="e in entries" :key="e.rule + e.grade" class="flex break-inside-avoid gap-2 py-0.5">
        <span class="w-24 shrink-0"><GradeMark :grade="e.grade" /></span>
        <span class="figures w-6 shrink-0 text-right">{{ e.count }}</span>
        <span
          ><RouterLink class="underline" :to="{ path: '/rules', query: { rule: e.rule } }">{{ e.title }}</RouterLink
          ><span class="text-muted"
            ><template v-if="e.words">: {{ e.words }}</template></span
          ></span
        >
      </li>
    </ul>
    <p v-for="s in scales" :key="s.title" class="flex flex-wrap items-center gap-2 py-0.5">
      <span>{{ s.title }}</span>
      <span class="figures text-muted">{{ numberWords(s.scale.low, s.unit) }}</span>
      <span class="inline-flex border border-line" aria-hidden="true"
        ><span
          v-for="(v, i) in steps(s.scale)"
          :key="i"
          class="h-3 w-4"
          :style="{ background: tintOf(s.scale, v, s.good) }"
        ></span
      ></span>
      <span class="figures text-muted">{{ numberWords(s.scale.high, s.unit) }}</span>
      <span v-if="s.scale.middle !== undefined" class="text-muted"
        >two hues, parted at {{ numberWords(s.scale.middle, s.unit) }}</span
      >
    </p>
    <p v-for="n in notes" :key="n" class="py-0.5 text-muted">{{ n }}</p>
  </section>
</template>
