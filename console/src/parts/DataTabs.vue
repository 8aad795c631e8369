<script setup lang="ts">
import { useRoute } from 'vue-router'

/** The rooms of the data: what came in, and what it is held against. */
const route = useRoute()
const tabs = [
  { path: '/data', name: 'Intakes' },
  { path: '/data/registers', name: 'Registers' },
  { path: '/data/targets', name: 'Targets' },
  { path: '/data/calendar', name: 'Calendar' },
]
const here = (path: string) => (path === '/data' ? route.path === path : route.path.startsWith(path))
</script>

<template>
  <nav aria-label="Data" class="flex gap-1 border-b border-line">
    <RouterLink
      v-for="t in tabs"
      :key="t.path"
      :to="t.path"
      :aria-current="here(t.path) ? 'page' : undefined"
      class="-mb-px border-b-2 border-transparent px-3 py-1.5 text-ink no-underline hover:text-tide aria-[current=page]:border-tide aria-[current=page]:font-semibold aria-[current=page]:text-tide"
    >
      {{ t.name }}
    </RouterLink>
  </nav>
</template>
