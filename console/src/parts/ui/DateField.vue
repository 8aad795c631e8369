<script setup lang="ts">
import { CalendarDaysIcon } from '@heroicons/vue/20/solid'
import { ref, watch } from 'vue'

import { dayOf, dayWords } from '@/lib/format'

/** A day, written as everywhere else, or picked; empty is none. */
const model = defineModel<string>()
defineProps<{ label: string; hint?: string }>()
// The last day of the month after this one: nobody takes it for what is meant.
const now = new Date()
const example = dayWords(new Date(Date.UTC(now.getUTCFullYear(), now.getUTCMonth() + 2, 0)).toISOString().slice(0, 10))
const written = ref('')
const wrong = ref(false)
const picker = ref<HTMLInputElement>()
watch(
  model,
  (iso) => {
    written.value = iso ? dayWords(iso) : ''
    wrong.value = false
  },
  { immediate: true },
)
function take() {
  const day = dayOf(written.value)
  wrong.value = !day && !!written.value.trim()
  if (wrong.value) return
  if (day) written.value = dayWords(day)
  model.value = day
}
</script>

<template>
  <span class="relative inline-flex items-center">
    <input
      v-model="written"
      class="field w-40 pr-7"
      :class="wrong ? 'border-red' : ''"
      :aria-label="label"
      :aria-invalid="wrong"
      :placeholder="hint ?? `such as ${example}`"
      autocomplete="off"
      @change="take"
    />
    <button
      type="button"
      class="absolute right-0.5 grid size-6 place-items-center rounded text-muted hover:text-tide"
      :aria-label="`Pick: ${label}`"
      @click="picker?.showPicker()"
    >
      <CalendarDaysIcon class="size-4" aria-hidden="true" />
    </button>
    <input
      ref="picker"
      type="date"
      class="pointer-events-none absolute bottom-0 left-0 size-0 opacity-0"
      tabindex="-1"
      aria-hidden="true"
      :value="model"
      @change="(e) => (model = (e.target as HTMLInputElement).value || undefined)"
    />
    <span v-if="wrong" role="alert" class="ml-2 text-small text-red">a day, such as {{ example }}</span>
  </span>
</template>
