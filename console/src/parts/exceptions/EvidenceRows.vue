<script setup lang="ts">
import type { Schemas } from '@/lib/api'

/** The figures by which an exception was decided, and the way down to the lines behind them. */
defineProps<{ detail: Schemas['ExceptionDetail'] }>()
</script>

<template>
  <dl class="figures mt-1">
    <div
      v-for="row in detail.rows"
      :key="row.label"
      class="flex items-baseline justify-between gap-4 border-b border-line py-1"
    >
      <dt class="text-muted">{{ row.label }}</dt>
      <dd class="text-right">{{ row.text }}</dd>
    </div>
  </dl>
  <p v-if="detail.measure" class="mt-1 text-small">
    <RouterLink
      class="underline"
      :to="{
        path: '/figures',
        query: {
          by: detail.exception.kind,
          period: detail.exception.period,
          text: detail.exception.key,
          measures: detail.measure,
          cell: `${detail.measure}|${detail.exception.key}|${detail.exception.period}`,
        },
      }"
      >Show the lines</RouterLink
    >
  </p>
</template>
