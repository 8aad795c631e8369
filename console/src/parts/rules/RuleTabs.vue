<script setup lang="ts">
import { useSession } from '@/lib/session'
import TabLine from '@/parts/ui/TabLine.vue'

/** The rooms of the rulebook: what is published, what is tried, what was. */
const { may } = useSession()
</script>

<template>
  <TabLine
    label="Rulebook"
    :tabs="[
      { path: '/rules', name: 'Published rules' },
      ...(may('putDraft') ? [{ path: '/rules/draft', name: 'My draft' }] : []),
      { path: '/rules/measures', name: 'By measure' },
      { path: '/rules/dials', name: 'Dials' },
      { path: '/rules/grades', name: 'Grades' },
      { path: '/rules/revisions', name: 'Revisions' },
    ]"
  />
</template>
