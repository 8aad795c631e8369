<script setup lang="ts">
import { XMarkIcon } from '@heroicons/vue/24/outline'
import { onBeforeUnmount, onMounted, useTemplateRef } from 'vue'

/** What is selected in a list, beside it; over it on a narrow screen. */
defineProps<{ label: string }>()
const emit = defineEmits<{ close: [] }>()
// Over the list it takes the focus, which goes back when it closes; beside it the list keeps it.
const sheet = useTemplateRef('sheet')
const from = document.activeElement as HTMLElement | null
let took = false
onMounted(() => {
  if (sheet.value && getComputedStyle(sheet.value).position === 'fixed') {
    took = true
    sheet.value.focus({ preventScroll: true })
  }
})
onBeforeUnmount(() => took && from?.isConnected && from.focus({ preventScroll: true }))
/** Escape is for a dialog that is open, also before the focus has come to it. */
function escape() {
  if (!document.querySelector('[role=dialog]')) emit('close')
}
</script>

<template>
  <aside ref="sheet" tabindex="-1" :aria-label="label" class="side-sheet" @keydown.esc="escape">
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
