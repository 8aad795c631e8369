<script setup lang="ts">
import { Refusal } from '@/lib/api'

/** What stands where content is not: loading, an error, or nothing to show. */
defineProps<{ loading?: boolean; error?: Error | null; empty?: string }>()
defineEmits<{ retry: [] }>()
const words = (e: Error) =>
  e instanceof Refusal ? e.message : 'The service does not answer. Is it running, and are you online?'
</script>

<template>
  <div v-if="error" role="alert" class="card m-4 max-w-xl border-red p-4">
    <p class="font-semibold text-red">Could not load this.</p>
    <p class="mt-1">{{ words(error) }}</p>
    <button class="button mt-3" @click="$emit('retry')">Try again</button>
  </div>
  <div v-else-if="loading" role="status" class="p-4">
    <span class="sr-only">Loading</span>
    <div class="space-y-2" aria-hidden="true">
      <div class="h-4 w-1/3 rounded bg-sunk"></div>
      <div class="h-4 w-2/3 rounded bg-sunk"></div>
      <div class="h-4 w-1/2 rounded bg-sunk"></div>
    </div>
  </div>
  <div v-else-if="empty" class="m-4 max-w-xl rounded-md border border-dashed border-line p-6 text-muted">
    <p>{{ empty }}</p>
    <div class="mt-3 empty:hidden"><slot /></div>
  </div>
</template>
