<script setup lang="ts">
import { onBeforeUnmount, ref, watch } from 'vue'

import { told, useActs } from '@/lib/acts'

/** What was just done to cases, and the way back while there is one. */
const { undo } = useActs()
const left = ref(0)
let tick: ReturnType<typeof setInterval> | undefined
watch(told, (t) => {
  clearInterval(tick)
  undo.reset()
  if (!t) return
  const count = () => {
    left.value = Math.ceil((t.until - Date.now()) / 1000)
    if (left.value <= 0) told.value = undefined
  }
  count()
  tick = setInterval(count, 250)
})
onBeforeUnmount(() => clearInterval(tick))
</script>

<template>
  <div role="status" class="pointer-events-none fixed inset-x-0 bottom-4 z-20 flex justify-center print:hidden">
    <p
      v-if="told"
      class="pointer-events-auto flex items-center gap-3 rounded border border-line bg-card px-4 py-2 shadow-lg"
    >
      {{ told.words }}.
      <button v-if="told.cases.length" class="button" :disabled="undo.isPending.value" @click="undo.mutate(told.cases)">
        Undo <span class="figures w-4 text-right text-muted" aria-hidden="true">{{ left }}</span>
      </button>
      <span v-if="undo.error.value" role="alert" class="text-red">{{ undo.error.value.message }}</span>
    </p>
  </div>
</template>
