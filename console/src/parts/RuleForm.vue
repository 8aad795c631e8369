<script setup lang="ts">
import type { Schemas } from '@/lib/api'
import type { Definition } from '@/lib/draft'
import { provideRule, valueOf, type Family } from '@/lib/ruleform'
import BandsForm from './rule/BandsForm.vue'
import ChoicesForm from './rule/ChoicesForm.vue'
import ExamplesForm from './rule/ExamplesForm.vue'
import FaultLines from './rule/FaultLines.vue'
import MoreForm from './rule/MoreForm.vue'
import OutlierForm from './rule/OutlierForm.vue'
import ScopeForm from './rule/ScopeForm.vue'
import SilenceForm from './rule/SilenceForm.vue'

/** One rule by form: what all share, and a part for its family. */
const props = defineProps<{
  definition: Definition
  faults: Schemas['Fault'][]
  report?: Schemas['CheckReport']
}>()
const emit = defineEmits<{ change: [d: Definition] }>()
const { d, book, grades, measures, family, loose, set, change } = provideRule(
  () => props.definition,
  () => props.faults,
  () => props.report,
  (d) => emit('change', d),
)
const families: Record<Family, { text: string; form: unknown }> = {
  bands: { text: 'bands of a measure', form: BandsForm },
  choose: { text: 'conditions', form: ChoicesForm },
  outlier: { text: 'distance from peers', form: OutlierForm },
  silence: { text: 'silence', form: SilenceForm },
}

/** Another family, with what all families share left as it is. */
function turnTo(to: Family) {
  const { name, title, judges, where, base, no_data, persists, on, last_word, valid_from, valid_until, shows, stake } =
    d.value
  const kept = {
    name,
    title,
    judges,
    where,
    base,
    no_data,
    persists,
    on,
    last_word,
    valid_from,
    valid_until,
    shows,
    stake,
  }
  const of = d.value.of ?? measures.value[0]?.name
  const grade = grades.value.at(-1)?.name ?? ''
  const parts: Record<Family, Partial<Definition>> = {
    bands: { of, bands: [{ grade, below: '0' }, { rest: true }] },
    choose: { choose: [{ grade, how: 'all', of: [`${of} is missing`] }] },
    outlier: { of, beyond: '3.5', side: 'both', peers: 8, grade },
    silence: { silence: book.value?.feeds[0]?.name, days: 60, grade, no_data: undefined },
  }
  change({ ...kept, ...parts[to] })
}
</script>

<template>
  <form class="space-y-4" @submit.prevent>
    <FaultLines :faults="loose" />
    <div class="grid grid-cols-[minmax(0,2fr)_minmax(0,1fr)] gap-3">
      <label class="text-small text-muted"
        >Title<input class="field mt-0.5 w-full" :value="d.title" @change="(e) => set({ title: valueOf(e) })"
      /></label>
      <label class="text-small text-muted"
        >Name<input
          class="field mt-0.5 w-full font-mono text-small"
          :value="d.name"
          @change="(e) => set({ name: valueOf(e) })"
      /></label>
    </div>
    <ScopeForm />
    <fieldset>
      <legend class="flex items-center gap-2 text-small font-semibold text-muted">
        by
        <select
          class="field text-small font-normal"
          aria-label="Family"
          :value="family"
          @change="(e) => turnTo(valueOf(e) as Family)"
        >
          <option v-for="(f, name) in families" :key="name" :value="name">{{ f.text }}</option>
        </select>
      </legend>
      <component :is="families[family].form" />
    </fieldset>
    <ExamplesForm />
    <MoreForm />
  </form>
</template>
