<script setup lang="ts">
import TabLine from '@/parts/ui/TabLine.vue'

/** Figures as they are asked for, and what was kept of them. */
</script>

<template>
  <TabLine
    label="Figures"
    class="print:hidden"
    :tabs="[
      { path: '/figures', name: 'Table' },
      { path: '/figures/kept', name: 'Kept tables and boards' },
    ]"
  />
</template>
