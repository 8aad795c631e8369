<script setup lang="ts">
import { useRule, valueOf } from '@/lib/ruleform'
import FaultLines from './FaultLines.vue'
import GradeSelect from './GradeSelect.vue'

/** A silence: no line of a feed for some days. */
const { d, book, at, set } = useRule()
</script>

<template>
  <div class="mt-2 flex flex-wrap items-center gap-2">
    <span class="text-muted">no line of</span>
    <select class="field" aria-label="Feed" :value="d.silence" @change="(e) => set({ silence: valueOf(e) })">
      <option v-for="f in book?.feeds ?? []" :key="f.name" :value="f.name">{{ f.title }}</option>
    </select>
    <label class="text-muted"
      >for
      <input
        type="number"
        min="1"
        class="field w-20"
        :value="d.days"
        @change="(e) => set({ days: Number(valueOf(e)) })"
      />
      days:</label
    >
    <GradeSelect label="Grade" :model-value="d.grade" @update:model-value="(v) => set({ grade: v })" />
    <FaultLines :faults="at('window')" />
  </div>
</template>
