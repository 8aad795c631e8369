<script setup lang="ts">
import { useRoute } from 'vue-router'

/** The rooms of one section; the first is at home only on its very path. */
defineProps<{ label: string; tabs: { path: string; name: string }[] }>()
const route = useRoute()
const here = (path: string, first: boolean) => (first ? route.path === path : route.path.startsWith(path))
const link = (path: string) => ({ path, query: route.query.period ? { period: route.query.period } : {} })
</script>

<template>
  <nav :aria-label="label" class="flex gap-1 border-b border-line max-sm:overflow-x-auto max-sm:overflow-y-hidden">
    <RouterLink
      v-for="(t, i) in tabs"
      :key="t.path"
      :to="link(t.path)"
      :aria-current="here(t.path, i === 0) ? 'page' : undefined"
      class="tab-link"
    >
      {{ t.name }}
    </RouterLink>
  </nav>
</template>
