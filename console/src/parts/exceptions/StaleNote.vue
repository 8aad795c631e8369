<script setup lang="ts">
/** Says that verdicts shown are out of date, where they are. */
defineProps<{ why?: string }>()
</script>

<template>
  <p v-if="why" role="status" class="my-2 border-l-4 border-amber pl-2.5">{{ why }}</p>
</template>
