<script setup lang="ts">
import { computed } from 'vue'

import { useRule, valueOf } from '@/lib/ruleform'
import FormulaField from '@/parts/rules/FormulaField.vue'
import FaultLines from './FaultLines.vue'
import MeasureSelect from './MeasureSelect.vue'
import RemoveButton from './RemoveButton.vue'

/** Who is judged: levels, scope and minimum base. */
const { d, book, measures, attributes, hints, at, set } = useRule()
const levels = computed(() => {
  const kinds = book.value?.kinds ?? []
  return [
    ...kinds.flatMap((k) => [
      { value: k.name, text: `each ${k.title.toLowerCase()}` },
      ...k.attributes.map((a) => ({ value: `${k.name}.${a}`, text: `each ${a} of ${k.plural.toLowerCase()}` })),
    ]),
    ...kinds.flatMap((a, i) =>
      kinds.slice(i + 1).map((b) => ({
        value: `${a.name} x ${b.name}`,
        text: `each ${a.title.toLowerCase()} with each ${b.title.toLowerCase()}`,
      })),
    ),
    { value: 'whole', text: 'the total of all' },
  ]
})
const grains = computed(() => [
  ...new Set([
    'day',
    'week',
    'month',
    'quarter',
    'half',
    'year',
    ...(book.value?.windows ?? []),
    d.value.each ?? 'month',
  ]),
])
const judges = computed(() => d.value.judges ?? [])
const levelText = (v: string) => levels.value.find((l) => l.value === v)?.text ?? v
const base = computed(() => d.value.base ?? [])
const setBase = (i: number, part: Partial<(typeof base.value)[number]>) =>
  set({ base: base.value.map((x, k) => (k === i ? { ...x, ...part } : x)) })
</script>

<template>
  <fieldset class="min-w-0">
    <legend class="text-small font-semibold text-muted">
      Each
      <select
        class="field text-small font-normal"
        aria-label="Each"
        :value="d.each ?? 'month'"
        @change="(e) => set({ each: valueOf(e) })"
      >
        <option v-for="g in grains" :key="g">{{ g }}</option></select
      >, judge
    </legend>
    <ul class="mt-1 flex flex-wrap gap-2">
      <li
        v-for="j in judges"
        :key="j"
        class="inline-flex items-center gap-1 rounded border border-line bg-card px-2 py-0.5"
      >
        {{ levelText(j) }}
        <button
          v-if="judges.length > 1"
          type="button"
          :aria-label="`No longer ${levelText(j)}`"
          class="text-muted hover:text-red"
          @click="set({ judges: judges.filter((x) => x !== j) })"
        >
          ×
        </button>
      </li>
      <li>
        <select
          class="field text-small"
          aria-label="Judge another level"
          :value="''"
          @change="(e) => set({ judges: [...judges, valueOf(e)] })"
        >
          <option value="">and …</option>
          <option v-for="l in levels.filter((x) => !judges.includes(x.value))" :key="l.value" :value="l.value">
            {{ l.text }}
          </option>
        </select>
      </li>
    </ul>
    <FaultLines :faults="at('judges')" />
    <div class="mt-2 grid grid-cols-[auto_minmax(0,1fr)] items-start gap-x-2 gap-y-2">
      <span class="pt-1.5 text-small text-muted">only where</span>
      <FormulaField
        :model-value="d.where ?? ''"
        label="Only where"
        :names="attributes"
        :faults="at('where')"
        :placeholder="`such as ${hints.scope}`"
        @update:model-value="(v) => set({ where: v || undefined })"
      />
      <span class="pt-1.5 text-small text-muted">minimum size</span>
      <div class="space-y-1">
        <div v-for="(b, i) in base" :key="i" class="flex flex-wrap gap-2">
          <MeasureSelect
            class="text-small"
            :label="`Measure of minimum ${i + 1}`"
            :model-value="b.measure"
            @update:model-value="(v) => setBase(i, { measure: v })"
          />
          <input
            class="field w-36 font-mono text-small"
            :aria-label="`Minimum ${i + 1}`"
            :value="b.least"
            @change="(e) => setBase(i, { least: valueOf(e) })"
          />
          <RemoveButton :label="`Remove minimum ${i + 1}`" @click="set({ base: base.filter((_, k) => k !== i) })" />
        </div>
        <button
          type="button"
          class="text-small text-tide hover:underline"
          @click="set({ base: [...base, { measure: measures[0]?.name ?? '', least: 'at least 1' }] })"
        >
          Add minimum
        </button>
        <FaultLines :faults="at('base')" />
      </div>
    </div>
  </fieldset>
</template>
