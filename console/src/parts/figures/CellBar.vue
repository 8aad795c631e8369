<script setup lang="ts">
import type { Bar } from '@/lib/looks'

/** A figure as a bar from zero, with its comparison value as a tick; hue says on which side of that it is. */
defineProps<{ bar: Bar; hue: 'tide' | 'amber' | 'muted' }>()
const share = (v: number) => `${(100 * v).toFixed(2)}%`
</script>

<template>
  <span class="relative -mt-0.5 block h-[3px]" aria-hidden="true">
    <span
      class="absolute inset-y-0"
      :style="{ left: share(bar.left), width: share(bar.width), background: `var(--${hue})` }"
    ></span>
    <span
      v-if="bar.cut"
      class="absolute inset-y-0 w-[3px] bg-paper"
      :style="bar.left < bar.zero ? { left: '6px' } : { right: '6px' }"
      title="Truncated (outlier)"
    ></span>
    <span
      v-if="bar.zero > 0"
      class="absolute -top-[2px] h-[7px] w-px bg-muted"
      :style="{ left: share(bar.zero) }"
    ></span>
    <span
      v-if="bar.yard !== undefined"
      class="absolute -top-[3px] h-[8px] w-[2px] bg-ink"
      :style="{ left: `calc(${share(bar.yard)} - 1px)` }"
    ></span>
  </span>
</template>
