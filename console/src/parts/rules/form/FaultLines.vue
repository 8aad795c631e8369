<script setup lang="ts">
/** What is wrong, below what it is about. */
defineProps<{ faults: string[] }>()
</script>

<template>
  <p v-for="f in faults" :key="f" role="alert" class="text-small text-red">{{ f }}</p>
</template>
