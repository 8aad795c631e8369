<script setup lang="ts">
import { useId } from 'vue'

import { useRule, valueOf } from '@/lib/ruleform'

/** A number or the name of a dial. */
defineOptions({ inheritAttrs: false })
const model = defineModel<string>()
defineProps<{ label: string }>()
const { dials } = useRule()
const list = useId()
</script>

<template>
  <input
    v-bind="$attrs"
    class="field font-mono text-small"
    :aria-label="label"
    :value="model"
    :list="list"
    @change="(e) => (model = valueOf(e))"
  />
  <datalist :id="list"><option v-for="x in dials" :key="x.name" :value="x.name"></option></datalist>
</template>
