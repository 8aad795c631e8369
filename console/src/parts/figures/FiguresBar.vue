<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'

import { api, need } from '@/lib/api'
import { fileAt, type Form } from '@/lib/files'
import { countWords } from '@/lib/format'
import { kinds } from '@/lib/looks'
import { useSession } from '@/lib/session'
import type { FigureTable } from '@/lib/table'
import { useTyped } from '@/lib/typed'
import KeepMenu from '@/parts/figures/KeepMenu.vue'
import TryMenu from '@/parts/figures/TryMenu.vue'
import NarrowMenu from '@/parts/figures/NarrowMenu.vue'
import ExportMenu from '@/parts/ui/ExportMenu.vue'
import SelectOne from '@/parts/ui/SelectOne.vue'
import SelectSome from '@/parts/ui/SelectSome.vue'

/** What a table is of, how it is laid out and how it is marked. */
const props = defineProps<{ of: FigureTable }>()
defineEmits<{ print: [] }>()
const { may } = useSession()
const { by, over, back, measures, flagged, formula, text, light, shade, best, groups, zone, marks, on, where } =
  props.of.words
// The level that is there to begin with has two names.
const chosen = computed({
  get: () => (by.value === props.of.levels.value[0]?.value ? '' : by.value),
  set: (v) => (by.value = v),
})
const { levels, gatherings, acrosses, askable, picked, asked, one, periodic, label, level } = props.of

const typed = useTyped(text)
// On a narrow screen the table comes first.
const more = ref(false)
const written = ref(formula.value)
watch(formula, (v) => (written.value = v))
const calendar = useQuery({
  queryKey: ['calendar'],
  queryFn: () => need(api.GET('/api/calendar', { params: { query: {} } })),
})
const zones = computed(() => (calendar.data.value?.windows ?? []).map((w) => ({ value: w.name, text: w.title })))
const fileOf = (form: Form) => fileAt('/api/table/{form}', props.of.question.value).replace('{form}', form)
const arrangements = computed(() => [
  { value: 'months', text: 'One measure, by period' },
  { value: 'both', text: 'Measures by period' },
  { value: 'rows', text: 'Periods in rows' },
  ...acrosses.value,
])
</script>

<template>
  <div class="flex flex-wrap items-center gap-2 px-4 pt-3 pb-2 print:hidden">
    <span v-if="over !== 'rows'" class="inline-flex items-center gap-1">
      <input v-model="typed" type="search" class="field w-40" placeholder="Name or key" aria-label="Name or key" />
      <label v-if="text" class="text-small whitespace-nowrap"
        ><input
          type="checkbox"
          :checked="light === 'yes'"
          @change="(e) => (light = (e.target as HTMLInputElement).checked ? 'yes' : '')"
        />
        highlight</label
      >
    </span>
    <SelectOne
      v-if="over !== 'rows'"
      v-model="chosen"
      label="By"
      :all="levels[0]?.text ?? ''"
      :options="levels.slice(1)"
    />
    <SelectOne
      v-if="gatherings.length && over !== 'rows'"
      v-model="groups"
      label="Subtotals"
      all="No subtotals"
      :options="gatherings"
    />
    <SelectOne v-if="zones.length" v-model="zone" label="Days" :all="label ?? ''" :options="zones" />
    <SelectOne v-model="over" label="Columns" all="Measures in columns" :options="arrangements" />
    <SelectOne
      v-if="periodic"
      v-model="back"
      label="Periods"
      all="13 periods"
      :options="['3', '6', '25', '37', '61'].map((n) => ({ value: n, text: `${n} periods` }))"
    />
    <SelectOne
      v-if="one"
      label="Measure"
      :model-value="asked[0] === askable[0]?.name ? '' : asked[0]"
      :all="askable[0]?.title ?? ''"
      :options="askable.slice(1).map((m) => ({ value: m.name, text: m.title }))"
      @update:model-value="(v) => (measures = v)"
    />
    <SelectSome
      v-else
      v-model="picked"
      label="Measures"
      :text="countWords(picked.length, 'measure')"
      :options="askable.map((m) => ({ value: m.name, text: m.title }))"
    />
    <button class="button sm:hidden" :aria-expanded="more" @click="more = !more">{{ more ? 'Less' : 'More' }}</button>
    <div class="contents" :class="more ? '' : 'max-sm:hidden'">
      <form class="flex" @submit.prevent="formula = written.trim()">
        <input
          v-model="written"
          class="field w-44 font-mono text-small"
          placeholder="Try a formula"
          aria-label="A formula to try, such as growth(revenue, 1 year)"
          @change="formula = written.trim()"
        />
      </form>
      <NarrowMenu :of="of" />
      <TryMenu :of="of" />
      <SelectOne
        v-model="shade"
        label="Drawn as"
        all="Bars"
        :options="[
          { value: 'plain', text: kinds.plain },
          { value: 'places', text: kinds.places },
          ...(one ? [{ value: 'rows', text: 'Colour within each row' }] : []),
          { value: 'value', text: kinds.value },
          ...(periodic || one ? [] : [{ value: 'line', text: kinds.line }]),
        ]"
      />
      <SelectOne
        v-model="best"
        label="Best and worst"
        all="Best and worst: usual"
        :options="[
          { value: 'columns', text: 'Best and worst of columns' },
          { value: 'rows', text: 'Best and worst of rows' },
          { value: 'three', text: 'First and last three' },
          { value: 'none', text: 'No best and worst' },
        ]"
      />
      <SelectOne
        v-if="!of.words.dials.value"
        v-model="marks"
        label="Marks"
        :all="where ? 'Marks as the rules say now' : 'Marks on record'"
        :options="[
          ...(where && marks !== 'now' ? [] : [{ value: 'now', text: 'Marks as the rules say now' }]),
          ...(may('putDraft') ? [{ value: 'draft', text: 'Marks by my draft' }] : []),
        ]"
      />
      <SelectOne
        v-if="level !== 'whole'"
        v-model="on"
        label="Marked"
        all="Marks on all"
        :options="[
          { value: 'totals', text: 'On totals alone' },
          { value: 'none', text: 'No marks' },
        ]"
      />
      <SelectOne
        v-if="over !== 'rows'"
        v-model="flagged"
        label="Who"
        all="All"
        :options="[
          { value: 'yes', text: 'Flagged only' },
          { value: 'light', text: 'Highlight the flagged' },
        ]"
      />
      <KeepMenu v-if="of.table.value" :of="of" />
      <ExportMenu v-if="of.table.value" :href="fileOf" workbook="Workbook (XLSX), with marks" @print="$emit('print')" />
    </div>
  </div>
</template>
