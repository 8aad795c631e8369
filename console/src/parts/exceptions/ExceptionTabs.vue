<script setup lang="ts">
import TabLine from '@/parts/ui/TabLine.vue'

/** The ways to look at what is flagged. */
</script>

<template>
  <TabLine
    label="Exceptions"
    class="px-4 pt-3 print:hidden"
    :tabs="[
      { path: '/exceptions', name: 'This period' },
      { path: '/exceptions/grid', name: 'By period' },
      { path: '/exceptions/trend', name: 'Trend' },
    ]"
  />
</template>
