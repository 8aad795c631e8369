<script setup lang="ts">
import { shortPeriod } from '@/lib/format'

/** The heads of columns that are periods, in few letters. */
defineProps<{ periods: { period: string; label: string }[]; align?: 'right' | 'center' }>()
</script>

<template>
  <th
    v-for="(p, i) in periods"
    :key="p.period"
    scope="col"
    :class="align === 'center' ? '!text-center' : '!text-right'"
  >
    <abbr class="no-underline" :title="p.label">{{
      shortPeriod(p.period, p.label, i === 0 || /-0?1$/.test(p.period))
    }}</abbr>
  </th>
</template>
