<script setup lang="ts">
import type { Schemas } from '@/lib/api'
import GradeMark from '@/parts/ui/GradeMark.vue'

/** What the marks of a table mean and how many there are, then its scale and its bars. */
defineProps<{ entries: Schemas['LegendEntry'][]; notes: string[] }>()
</script>

<template>
  <section v-if="entries.length || notes.length" class="px-4 py-3 text-small" aria-label="Legend">
    <ul v-if="entries.length" class="gap-x-8 lg:columns-2">
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
    <p v-for="n in notes" :key="n" class="py-0.5 text-muted">{{ n }}</p>
  </section>
</template>
