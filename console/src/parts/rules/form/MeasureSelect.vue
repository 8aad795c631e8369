<script setup lang="ts">
import { useRule, valueOf } from '@/lib/ruleform'

const model = defineModel<string>()
defineProps<{ label: string }>()
const { measures } = useRule()
</script>

<template>
  <select class="field" :aria-label="label" :value="model" @change="(e) => (model = valueOf(e))">
    <option v-for="m in measures" :key="m.name" :value="m.name">{{ m.title }}</option>
  </select>
</template>
