<script setup lang="ts">
import { TrashIcon } from '@heroicons/vue/20/solid'

defineProps<{ label: string }>()
</script>

<template>
  <button type="button" class="text-muted hover:text-red" :aria-label="label">
    <TrashIcon class="size-4" aria-hidden="true" />
  </button>
</template>
