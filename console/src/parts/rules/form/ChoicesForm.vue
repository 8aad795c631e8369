<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '@/lib/api'
import { useRule, valueOf } from '@/lib/ruleform'
import FormulaField from '@/parts/rules/FormulaField.vue'
import FaultLines from './FaultLines.vue'
import GradeSelect from './GradeSelect.vue'
import RemoveButton from './RemoveButton.vue'

/** A threshold by conditions: the first choice that fits decides. */
const { d, grades, hints, measures, names, at, set } = useRule()
type Choice = Schemas['ChoiceDefinition']
const hows = { all: 'all of these', any: 'any of these', none: 'none of these', some: 'at least so many of these' }
const choices = computed(() => d.value.choose ?? [])
const setChoice = (i: number, part: Partial<Choice>) =>
  set({ choose: choices.value.map((c, k) => (k === i ? { ...c, ...part } : c)) })
const fresh = computed(() => `${measures.value[0]?.name} above 0`)
</script>

<template>
  <ol class="mt-2 space-y-3" aria-label="Choices">
    <li v-for="(c, i) in choices" :key="i" class="border-l-2 border-line pl-3">
      <div class="flex flex-wrap items-center gap-2">
        <GradeSelect
          :label="`Grade of choice ${i + 1}`"
          :model-value="c.grade"
          @update:model-value="(v) => setChoice(i, { grade: v })"
        />
        <span class="text-muted">where</span>
        <select
          class="field text-small"
          :aria-label="`How many of choice ${i + 1}`"
          :value="c.how"
          @change="
            (e) => setChoice(i, { how: valueOf(e) as Choice['how'], at_least: valueOf(e) === 'some' ? 2 : undefined })
          "
        >
          <option v-for="(t, k) in hows" :key="k" :value="k">{{ t }}</option>
        </select>
        <input
          v-if="c.how === 'some'"
          type="number"
          min="1"
          class="field w-16"
          :aria-label="`At least, choice ${i + 1}`"
          :value="c.at_least"
          @change="(e) => setChoice(i, { at_least: Number(valueOf(e)) })"
        />
        <RemoveButton
          class="ml-auto"
          :label="`Remove choice ${i + 1}`"
          @click="set({ choose: choices.filter((_, k) => k !== i) })"
        />
      </div>
      <div v-for="(of, k) in c.of" :key="k" class="mt-1 flex items-start gap-2">
        <FormulaField
          wide
          :model-value="of"
          :label="`Condition ${k + 1} of choice ${i + 1}`"
          :names="names"
          :placeholder="`such as ${hints.condition}`"
          @update:model-value="(v) => setChoice(i, { of: c.of.map((x, n) => (n === k ? v : x)) })"
        />
        <button
          v-if="c.of.length > 1"
          type="button"
          class="pt-1.5 text-muted hover:text-red"
          :aria-label="`Remove condition ${k + 1}`"
          @click="setChoice(i, { of: c.of.filter((_, n) => n !== k) })"
        >
          ×
        </button>
      </div>
      <button
        type="button"
        class="text-small text-tide hover:underline"
        @click="setChoice(i, { of: [...c.of, fresh] })"
      >
        Add condition
      </button>
    </li>
    <li>
      <button
        type="button"
        class="text-small text-tide hover:underline"
        @click="set({ choose: [...choices, { grade: grades.at(-1)?.name ?? '', how: 'any', of: [fresh] }] })"
      >
        Add choice
      </button>
      <span class="ml-2 text-small text-muted">The first match decides; everything else is clear.</span>
      <FaultLines :faults="at('choose')" />
    </li>
  </ol>
</template>
