<script setup lang="ts">
import { useRule, valueOf } from '@/lib/ruleform'

/** Picks a grade, or what else the slots offer. */
const model = defineModel<string>()
defineProps<{
  label?: string
  words?: (label: string) => string
  /** Only grades that flag. */
  flagging?: boolean
}>()
const { grades, allGrades } = useRule()
</script>

<template>
  <select class="field text-small" :aria-label="label" :value="model" @change="(e) => (model = valueOf(e))">
    <slot name="first" />
    <option v-for="g in flagging ? grades : allGrades" :key="g.name" :value="g.name">
      {{ words ? words(g.label) : g.label }}
    </option>
    <slot />
  </select>
</template>
