<script setup lang="ts">
/** A line of text with its label; all else that is stated goes to the input. */
defineOptions({ inheritAttrs: false })
defineProps<{ label: string }>()
const model = defineModel<string>()
</script>

<template>
  <label class="block text-small text-muted"
    >{{ label }}<input v-model="model" class="field mt-0.5 block w-full" v-bind="$attrs"
  /></label>
</template>
