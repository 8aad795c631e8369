<script setup lang="ts">
import { computed } from 'vue'

import ListBox from '@/parts/ui/ListBox.vue'

/** One of a few; the empty value is all of them. */
const props = defineProps<{ label: string; all: string; options: { value: string; text: string }[] }>()
const model = defineModel<string>({ required: true })
const list = computed(() => [{ value: '', text: props.all }, ...props.options])
const shown = computed(() => list.value.find((o) => o.value === model.value)?.text ?? model.value)
</script>

<template>
  <ListBox
    :model-value="model"
    :label="label"
    :shown="shown"
    :options="list"
    :marked="!!model"
    @update:model-value="(v) => (model = v as string)"
  />
</template>
