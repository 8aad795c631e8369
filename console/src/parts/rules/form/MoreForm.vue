<script setup lang="ts">
import { useRule, valueOf } from '@/lib/ruleform'
import FormulaField from '@/parts/rules/FormulaField.vue'
import DateField from '@/parts/ui/DateField.vue'
import FaultLines from './FaultLines.vue'
import GradeSelect from './GradeSelect.vue'

/** What most rules leave as it is. */
const { d, measures, names, family, hints, at, set } = useRule()
const checked = (e: Event) => (e.target as HTMLInputElement).checked
</script>

<template>
  <details
    :open="
      ['no_data', 'ended', 'persists', 'stake', 'marks', 'last_word', 'valid_from', 'valid_until'].some(
        (k) => at(k).length,
      )
    "
  >
    <summary class="cursor-pointer text-small font-semibold text-muted">
      More: missing data, persistence, stake, order, dates
    </summary>
    <div class="mt-2 grid grid-cols-[auto_minmax(0,1fr)] items-center gap-x-3 gap-y-2">
      <template v-if="family !== 'window'">
        <label for="no-data" class="text-small text-muted">No data</label>
        <GradeSelect
          id="no-data"
          class="w-48"
          flagging
          :words="(label) => `is ${label}`"
          :model-value="d.no_data ?? ''"
          @update:model-value="(v) => set({ no_data: v || undefined })"
        >
          <template #first><option value="">not flagged</option></template>
        </GradeSelect>
        <label for="ended" class="text-small text-muted">Ended</label>
        <div>
          <select
            id="ended"
            class="field text-small"
            :value="d.ended ?? ''"
            @change="(e) => set({ ended: valueOf(e) || undefined })"
          >
            <option value="">not stated</option>
            <option value="counts as zero">counts as zero</option>
            <option value="no data">is no data</option>
          </select>
          <span class="ml-2 text-small text-muted">the subject had a value before and has none now</span>
          <FaultLines :faults="at('ended')" />
        </div>
      </template>
      <label for="persists" class="text-small text-muted">Flag from</label>
      <div>
        <input
          id="persists"
          class="field w-24 font-mono text-small"
          placeholder="such as 2 of 3"
          :value="d.persists"
          @change="(e) => set({ persists: valueOf(e) || undefined })"
        />
        <span class="ml-2 text-small text-muted">of the last periods (empty: immediately)</span>
        <FaultLines :faults="at('persists')" />
      </div>
      <span class="text-small text-muted">At stake</span>
      <FormulaField
        :model-value="d.stake ?? ''"
        label="At stake"
        :names="names"
        :faults="at('stake')"
        :placeholder="`such as ${hints.stake}`"
        @update:model-value="(v) => set({ stake: v || undefined })"
      />
      <label for="marks" class="text-small text-muted">Mark on</label>
      <div>
        <select
          id="marks"
          class="field text-small"
          :value="d.marks ?? ''"
          @change="(e) => set({ marks: valueOf(e) || undefined })"
        >
          <option value="">the measure it looks at</option>
          <option v-for="m in measures" :key="m.name" :value="m.name">{{ m.title }}</option>
        </select>
        <span class="ml-2 text-small text-muted">on whose figure its mark stands in a table</span>
        <FaultLines :faults="at('marks')" />
      </div>
      <span class="text-small text-muted">Cases</span>
      <div class="flex flex-col gap-1">
        <label class="text-small"
          ><input
            type="checkbox"
            class="mr-1.5"
            :checked="d.listed"
            @change="(e) => set({ listed: checked(e) || undefined })"
          />none: its flags are listed only</label
        >
        <label class="text-small"
          ><input
            type="checkbox"
            class="mr-1.5"
            :checked="d.to_date"
            @change="(e) => set({ to_date: checked(e) || undefined })"
          />open cases while the period runs, too</label
        >
      </div>
      <span class="text-small text-muted">Order</span>
      <label class="text-small"
        ><input
          type="checkbox"
          class="mr-1.5"
          :checked="d.last_word"
          @change="(e) => set({ last_word: checked(e) || undefined })"
        />if it flags a subject, later rules skip it</label
      >
      <span class="text-small text-muted">In force</span>
      <div class="flex flex-wrap items-center gap-2 text-small">
        <label
          ><input
            type="checkbox"
            class="mr-1.5"
            :checked="d.on !== false && !d.trial"
            @change="(e) => set({ on: checked(e) ? undefined : false, trial: undefined })"
          />on</label
        >
        <label
          ><input
            type="checkbox"
            class="mr-1.5"
            :checked="d.trial"
            @change="(e) => set({ trial: checked(e) || undefined, on: undefined })"
          />on trial: counted, not listed</label
        >
        <span
          >from
          <DateField
            label="In force from"
            :model-value="d.valid_from"
            @update:model-value="(v) => set({ valid_from: v })"
        /></span>
        <span
          >until
          <DateField
            label="In force until"
            :model-value="d.valid_until"
            @update:model-value="(v) => set({ valid_until: v })"
        /></span>
        <FaultLines :faults="at('valid')" />
      </div>
    </div>
  </details>
</template>
