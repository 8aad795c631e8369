<script setup lang="ts">
import { useNotices } from '@/lib/caseparts'
import TabLine from '@/parts/ui/TabLine.vue'

/** The work on cases, and what comes of it. */
const { news } = useNotices()
</script>

<template>
  <TabLine
    label="Desk"
    class="px-4 pt-3 print:hidden"
    :tabs="[
      { path: '/desk', name: 'Cases' },
      { path: '/desk/inbox', name: news ? `For me (${news})` : 'Inbox' },
      { path: '/desk/backlog', name: 'Backlog' },
      { path: '/desk/outcomes', name: 'Outcomes' },
    ]"
  />
</template>
