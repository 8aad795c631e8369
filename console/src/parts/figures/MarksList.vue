<script setup lang="ts">
import type { Schemas } from '@/lib/api'
import { monthWords } from '@/lib/format'
import { useSession } from '@/lib/session'
import GradeMark from '@/parts/ui/GradeMark.vue'

/** What the marks of a cell or a row say, each with the ways to its rule, its cut and its case. */
const { may } = useSession()
defineProps<{ marks: Schemas['RowMark'][] }>()
</script>

<template>
  <ul aria-label="Marked by">
    <li v-for="(m, i) in marks" :key="i" class="border-b border-line py-2">
      <p class="flex flex-wrap items-center gap-x-2">
        <GradeMark :grade="m.grade" />
        <RouterLink class="text-tide underline" :to="{ path: '/rules', query: { rule: m.rule, period: m.period } }">{{
          m.title
        }}</RouterLink>
        <span class="text-small text-muted">{{ monthWords(m.period) }}</span>
      </p>
      <p class="mt-0.5">{{ m.sentence }}</p>
      <p class="mt-0.5 flex flex-wrap gap-x-4 text-small">
        <RouterLink v-if="m.exception" class="underline" :to="`/exceptions/${m.exception}`"
          >Exception {{ m.exception }}</RouterLink
        >
        <RouterLink v-if="m.case" class="underline" :to="`/cases/${m.case}`">Case {{ m.case }}</RouterLink>
        <RouterLink
          v-if="may('putDraft')"
          class="underline"
          :to="{ path: '/rules/draft', query: { rule: m.rule, period: m.period } }"
          >Change its limit in my draft</RouterLink
        >
      </p>
    </li>
  </ul>
</template>
