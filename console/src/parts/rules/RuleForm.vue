<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '@/lib/api'
import type { Definition } from '@/lib/draft'
import { methodGroups, methodKey, useMethods } from '@/lib/methods'
import { methodOf, provideRule, valueOf } from '@/lib/ruleform'
import BandsForm from './form/BandsForm.vue'
import ChoicesForm from './form/ChoicesForm.vue'
import ExamplesForm from './form/ExamplesForm.vue'
import FaultLines from './form/FaultLines.vue'
import MoreForm from './form/MoreForm.vue'
import MethodForm from './form/MethodForm.vue'
import ScopeForm from './form/ScopeForm.vue'

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
const methods = useMethods()
const method = computed(() => methodOf(d.value, methods.value))
const way = computed(() => (method.value ? methodKey(method.value) : family.value))

/** Another way to judge, with what all ways share left as it is. */
function turnTo(to: string) {
  const none = undefined
  const methodOnly = { of: none, against: none, as: none, bands: none, choose: none, outlier: none, window: none }
  const kept = { ...d.value, ...methodOnly, examples: none }
  const of = d.value.of ?? d.value.outlier?.of ?? measures.value[0]?.name
  const grade = d.value.outlier?.grade ?? d.value.window?.grade ?? grades.value.at(-1)?.name ?? ''
  const m = methods.value.find((x) => methodKey(x) === to)
  if (!m) {
    change(
      to === 'choose'
        ? { ...kept, choose: [{ grade, how: 'all', of: [`${of} is missing`] }] }
        : { ...kept, of, bands: [{ grade, below: '0' }, { rest: true }] },
    )
    return
  }
  const was = { ...d.value.outlier, ...d.value.window }
  const settings: Record<string, string> = m.family === 'outlier' ? { by: m.name } : {}
  for (const s of m.settings) {
    if (s.type === 'measure') settings[s.key] = of
    else if (s.type === 'grade') settings[s.key] = grade
    else if (s.key in was) settings[s.key] = was[s.key]
    else if (s.type === 'lines') settings[s.key] = book.value?.feeds[0]?.name ?? ''
    else if (s.required) settings[s.key] = (s.example ?? s.choices?.[0] ?? '').replaceAll("'", '')
  }
  if (m.name === 'silence' && !settings.at_least && !settings.longer_than) settings.at_least = '60 days'
  change(m.family === 'outlier' ? { ...kept, outlier: settings } : { ...kept, window: settings, no_data: undefined })
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
          :value="way"
          @change="(e) => turnTo(valueOf(e))"
        >
          <optgroup label="Thresholds">
            <option value="bands">bands of a measure</option>
            <option value="choose">conditions</option>
          </optgroup>
          <optgroup v-for="g in methodGroups(methods)" :key="g.among" :label="g.title">
            <option v-for="m in g.methods" :key="m.name" :value="methodKey(m)">{{ m.name }}</option>
          </optgroup>
        </select>
      </legend>
      <BandsForm v-if="family === 'bands'" />
      <ChoicesForm v-else-if="family === 'choose'" />
      <MethodForm v-else-if="method" :method="method" />
    </fieldset>
    <ExamplesForm />
    <MoreForm />
  </form>
</template>
