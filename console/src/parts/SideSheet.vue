<script setup lang="ts">
import { XMarkIcon } from '@heroicons/vue/24/outline'

/** What is selected in a list, beside it; over it on a narrow screen. */
defineProps<{ label: string }>()
const emit = defineEmits<{ close: [] }>()
/** Escape is for a dialog that is open, also before the focus has come to it. */
function escape() {
  if (!document.querySelector('[role=dialog]')) emit('close')
}
</script>

<template>
  <aside
    :aria-label="label"
    class="border-line bg-card max-lg:fixed max-lg:inset-0 max-lg:z-20 max-lg:overflow-y-auto lg:sticky lg:top-[76px] lg:h-[calc(100vh-76px)] lg:w-[440px] lg:shrink-0 lg:overflow-y-auto lg:border-l"
    @keydown.esc="escape"
  >
    <div class="sticky top-0 z-10 flex items-center justify-between border-b border-line bg-card px-4 py-1.5">
      <span class="text-small text-muted">{{ label }}</span>
      <span class="flex items-center gap-2">
        <slot name="actions" />
        <button class="rounded p-1 hover:bg-tide-soft" aria-label="Close" @click="$emit('close')">
          <XMarkIcon class="size-5" aria-hidden="true" />
        </button>
      </span>
    </div>
    <slot />
  </aside>
</template>
