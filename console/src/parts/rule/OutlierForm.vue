<script setup lang="ts">
import { useRule, valueOf } from '@/lib/ruleform'
import CutField from './CutField.vue'
import FaultLines from './FaultLines.vue'
import GradeSelect from './GradeSelect.vue'
import MeasureSelect from './MeasureSelect.vue'

/** An outlier among peers. */
const { d, attributes, at, set } = useRule()
</script>

<template>
  <div class="mt-2 flex flex-wrap items-center gap-2">
    <MeasureSelect label="Measure" :model-value="d.of" @update:model-value="(v) => set({ of: v })" />
    <span class="text-muted">among</span>
    <select
      class="field"
      aria-label="Among"
      :value="d.among ?? ''"
      @change="(e) => set({ among: valueOf(e) || undefined })"
    >
      <option value="">all</option>
      <option v-for="a in attributes" :key="a.name" :value="a.name">the same {{ a.name.split('.')[1] }}</option>
    </select>
    <span class="text-muted">robust score beyond</span>
    <CutField class="w-28" label="Beyond" :model-value="d.beyond" @update:model-value="(v) => set({ beyond: v })" />
    <select class="field" aria-label="Side" :value="d.side" @change="(e) => set({ side: valueOf(e) })">
      <option value="high">on the high side</option>
      <option value="low">on the low side</option>
      <option value="both">on either side</option>
    </select>
    <label class="text-muted"
      >at least
      <input
        type="number"
        min="2"
        class="field w-16"
        :value="d.peers"
        @change="(e) => set({ peers: Number(valueOf(e)) })"
      />
      others:</label
    >
    <GradeSelect label="Grade" :model-value="d.grade" @update:model-value="(v) => set({ grade: v })" />
    <FaultLines :faults="at('outlier')" />
  </div>
</template>
