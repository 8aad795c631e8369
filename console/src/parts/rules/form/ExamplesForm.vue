<script setup lang="ts">
import { PlusIcon } from '@heroicons/vue/20/solid'
import { computed } from 'vue'

import { useRule, valueOf } from '@/lib/ruleform'
import FaultLines from './FaultLines.vue'
import GradeSelect from './GradeSelect.vue'
import RemoveButton from './RemoveButton.vue'

/** Stated inputs and the verdict they must get. */
const { d, hints, at, set } = useRule()
type Example = Record<string, string>
const examples = computed(() => d.value.examples ?? [])
const setExample = (i: number, ex: Example) => set({ examples: examples.value.map((x, k) => (k === i ? ex : x)) })
const inputsText = (ex: Example) =>
  Object.entries(ex)
    .filter(([k]) => k !== 'is')
    .map(([k, v]) => `${k} ${v}`)
    .join(', ')
function parseInputs(text: string): Example {
  const out: Example = {}
  for (const part of text.split(',')) {
    const [name, ...rest] = part.trim().split(/\s+/)
    if (name) out[name] = rest.join(' ')
  }
  return out
}
</script>

<template>
  <fieldset>
    <legend class="text-small font-semibold text-muted">Examples, checked when publishing</legend>
    <ul class="mt-1 space-y-1">
      <li v-for="(ex, i) in examples" :key="i" class="flex items-center gap-2">
        <input
          class="field w-full font-mono text-small"
          :aria-label="`Inputs of example ${i + 1}`"
          :placeholder="`such as ${hints.inputs}`"
          :value="inputsText(ex)"
          @change="(e) => setExample(i, { ...parseInputs(valueOf(e)), is: ex.is })"
        />
        <span class="text-muted">is</span>
        <GradeSelect
          :label="`Verdict of example ${i + 1}`"
          :model-value="ex.is"
          @update:model-value="(v) => setExample(i, { ...ex, is: v ?? '' })"
        >
          <option>clear</option>
          <option>no data</option>
          <option>not judged</option>
        </GradeSelect>
        <RemoveButton
          :label="`Remove example ${i + 1}`"
          @click="set({ examples: examples.filter((_, k) => k !== i) })"
        />
      </li>
    </ul>
    <button
      type="button"
      class="text-small text-tide hover:underline"
      @click="set({ examples: [...examples, { [d.of ?? 'revenue']: '0', is: 'clear' }] })"
    >
      <PlusIcon class="inline size-3.5" aria-hidden="true" /> an example
    </button>
    <FaultLines :faults="at('examples')" />
  </fieldset>
</template>
