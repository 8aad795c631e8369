<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '@/lib/api'
import { useRule, valueOf } from '@/lib/ruleform'
import FormulaField from '@/parts/rules/FormulaField.vue'
import CutField from './CutField.vue'
import FaultLines from './FaultLines.vue'
import GradeSelect from './GradeSelect.vue'
import MeasureSelect from './MeasureSelect.vue'
import RemoveButton from './RemoveButton.vue'

/** A threshold by bands: a measure, its yardstick, and what each band gets. */
const { d, grades, names, at, set } = useRule()

const comparisons = [
  { text: 'itself', value: '' },
  { text: 'its target', value: 'target' },
  { text: 'the period before', value: 'earlier(OF)' },
  { text: 'a year before', value: 'earlier(OF, 1 year)' },
  { text: 'its own median of 12', value: 'history(OF, 12, median)' },
  { text: 'its own best of 12', value: 'history(OF, 12, best)' },
  { text: 'the total', value: 'overall(OF)' },
  { text: "all peers' median", value: 'peers(OF, median)' },
]
/** A yardstick of one measure, said of another: its name alone, not where it is part of a longer one. */
const ofMeasure = (against: string, from?: string, to?: string) =>
  from ? against.replace(new RegExp(`(?<![\\w.])${from}(?![\\w.])`, 'g'), to ?? '') : against
const comparisonOf = (v: string) => v.replace('OF', d.value.of ?? '')
function setAgainst(against: string) {
  set({ against: against || undefined, as: against ? (d.value.as ?? 'ratio') : undefined })
}

/** An end is one of four words with a number or a dial. */
type Band = Schemas['BandDefinition']
const words = { below: 'below', at_most: 'at most', above: 'above', at_least: 'at least' } as const
type Word = keyof typeof words
const ends = (b: Band) => (Object.keys(words) as Word[]).filter((w) => b[w] !== undefined)
const bands = computed(() => d.value.bands ?? [])
const setBand = (i: number, b: Band) => set({ bands: bands.value.map((x, k) => (k === i ? b : x)) })
const setGrade = (i: number, grade?: string) =>
  setBand(i, grade === 'rest' ? { rest: true } : { ...bands.value[i], rest: undefined, grade: grade || undefined })
function setEnd(i: number, old: Word | undefined, word: Word, text: string) {
  const b = { ...bands.value[i] }
  if (old) delete b[old]
  b[word] = text
  setBand(i, b)
}
function dropEnd(i: number, word: Word) {
  const b = { ...bands.value[i] }
  delete b[word]
  setBand(i, b)
}
const freeWord = (b: Band): Word => (b.below !== undefined || b.at_most !== undefined ? 'at_least' : 'below')
function addBand() {
  const rest = bands.value.findIndex((b) => b.rest)
  const list = [...bands.value]
  list.splice(rest < 0 ? list.length : rest, 0, { grade: grades.value.at(-1)?.name, below: '0' })
  set({ bands: list })
}
</script>

<template>
  <div class="mt-2 flex flex-wrap items-center gap-2">
    <MeasureSelect
      label="Measure"
      :model-value="d.of"
      @update:model-value="(v) => set({ of: v, against: d.against && ofMeasure(d.against, d.of, v) })"
    />
    <span class="text-muted">against</span>
    <select
      class="field"
      aria-label="Compared with"
      :value="comparisons.find((y) => comparisonOf(y.value) === (d.against ?? ''))?.value ?? 'own'"
      @change="(e) => valueOf(e) !== 'own' && setAgainst(comparisonOf(valueOf(e)))"
    >
      <option v-for="y in comparisons" :key="y.value" :value="y.value">{{ y.text }}</option>
      <option value="own">a formula</option>
    </select>
    <select
      v-if="d.against"
      class="field"
      aria-label="Compared as"
      :value="d.as"
      @change="(e) => set({ as: valueOf(e) })"
    >
      <option value="ratio">as a ratio</option>
      <option value="difference">as a difference</option>
      <option value="change">as a change</option>
    </select>
  </div>
  <FormulaField
    v-if="d.against && d.against !== 'target'"
    class="mt-2"
    :model-value="d.against"
    label="Comparison formula"
    :names="names"
    :faults="at('against')"
    @update:model-value="setAgainst"
  />
  <ol class="mt-2 space-y-1.5" aria-label="Bands">
    <li v-for="(b, i) in bands" :key="i" class="flex flex-wrap items-center gap-1.5">
      <GradeSelect
        :label="`Grade of band ${i + 1}`"
        :model-value="b.grade ?? (b.rest ? 'rest' : '')"
        @update:model-value="(v) => setGrade(i, v)"
      >
        <option value="">Clear</option>
        <option value="rest">Everything else: clear</option>
      </GradeSelect>
      <template v-if="!b.rest">
        <span v-for="w in ends(b)" :key="w" class="inline-flex items-center">
          <select
            class="field rounded-r-none text-small"
            :aria-label="`End of band ${i + 1}`"
            :value="w"
            @change="(e) => setEnd(i, w, valueOf(e) as Word, b[w]!)"
          >
            <option v-for="(t, k) in words" :key="k" :value="k">{{ t }}</option>
          </select>
          <CutField
            class="w-36 rounded-l-none border-l-0"
            :label="`${words[w]}, band ${i + 1}`"
            :model-value="b[w]"
            @update:model-value="(v) => setEnd(i, w, w, v ?? '')"
          />
          <button
            v-if="ends(b).length > 1"
            type="button"
            class="px-1 text-muted hover:text-red"
            :aria-label="`Remove this end of band ${i + 1}`"
            @click="dropEnd(i, w)"
          >
            ×
          </button>
        </span>
        <button
          v-if="ends(b).length < 2"
          type="button"
          class="text-small text-tide hover:underline"
          @click="setEnd(i, undefined, freeWord(b), '0')"
        >
          and …
        </button>
      </template>
      <RemoveButton
        class="ml-auto"
        :label="`Remove band ${i + 1}`"
        @click="set({ bands: bands.filter((_, k) => k !== i) })"
      />
    </li>
  </ol>
  <button type="button" class="mt-1 text-small text-tide hover:underline" @click="addBand">Add band</button>
  <FaultLines :faults="at('bands', 'threshold.of')" />
</template>
