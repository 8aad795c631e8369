<script setup lang="ts">
import TabLine from '@/parts/ui/TabLine.vue'

/** The rooms of leads: who has an account, and what was done. */
</script>

<template>
  <TabLine
    label="People"
    :tabs="[
      { path: '/people', name: 'Accounts' },
      { path: '/people/audit', name: 'Audit' },
    ]"
  />
</template>
