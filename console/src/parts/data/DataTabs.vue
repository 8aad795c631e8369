<script setup lang="ts">
import TabLine from '@/parts/ui/TabLine.vue'

/** The rooms of the data: what came in, and what it is held against. */
const tabs = [
  { path: '/data', name: 'Intakes' },
  { path: '/data/issues', name: 'Faults' },
  { path: '/data/registers', name: 'Registers' },
  { path: '/data/targets', name: 'Targets' },
  { path: '/data/calendar', name: 'Calendar' },
]
</script>

<template><TabLine label="Data" :tabs="tabs" /></template>
