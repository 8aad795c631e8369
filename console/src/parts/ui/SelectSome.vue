<script setup lang="ts">
import ListBox from '@/parts/ui/ListBox.vue'

/** Several of many, in the order in which they were chosen. */
defineProps<{ label: string; text: string; options: { value: string; text: string }[] }>()
const model = defineModel<string[]>({ required: true })
</script>

<template>
  <ListBox
    :model-value="model"
    :label="label"
    :shown="text"
    :options="options"
    multiple
    @update:model-value="(v) => (model = v as string[])"
  />
</template>
