<script setup lang="ts">
import { computed } from 'vue'

import { useKept } from '@/lib/keptlists'

/** Links to the boards and the kept tables, boards first. */
defineProps<{ period: string }>()
const { tables, boards } = useKept()
const all = computed(() => [
  ...(boards.data.value ?? []).map((b) => ({ to: `/boards/${b.id}`, name: b.name, what: 'board' })),
  ...(tables.data.value ?? []).map((t) => ({ to: `/tables/${t.id}`, name: t.name, what: '' })),
])
const most = 4
</script>

<template>
  <section v-if="all.length">
    <h2 class="text-small font-semibold text-muted">Kept tables and boards</h2>
    <ul class="mt-1">
      <li v-for="k in all.slice(0, most)" :key="k.to" class="border-b border-line py-1">
        <RouterLink :to="{ path: k.to, query: { period } }">{{ k.name }}</RouterLink>
        <span v-if="k.what" class="ml-2 text-small text-muted">{{ k.what }}</span>
      </li>
    </ul>
    <p v-if="all.length > most" class="mt-1">
      <RouterLink to="/figures/kept">All {{ all.length }}</RouterLink>
    </p>
  </section>
</template>
