<script setup lang="ts">
import { PlusIcon, TrashIcon } from '@heroicons/vue/20/solid'
import { computed } from 'vue'

import type { Schemas } from '@/lib/api'
import type { Definition } from '@/lib/draft'
import { useRulebook } from '@/lib/rulebook'
import FormulaField from './FormulaField.vue'

/** One rule by form. Every change gives the whole definition anew. */
const props = defineProps<{
  definition: Definition
  faults: Schemas['Fault'][]
  report?: Schemas['CheckReport']
}>()
const emit = defineEmits<{ change: [d: Definition] }>()
const { book, grades } = useRulebook()
const d = computed(() => props.definition)
const set = (part: Partial<Definition>) => emit('change', { ...props.definition, ...part })
const value = (e: Event) => (e.target as HTMLInputElement).value

const at = (...fields: string[]) =>
  props.faults.filter((f) => fields.some((x) => f.where?.includes(`.${x}`))).map((f) => f.text)
const placed = [
  'where',
  'base',
  'stake',
  'against',
  'choose',
  'bands',
  'examples',
  'judges',
  'persists',
  'outlier',
  'window',
  'valid',
  '.name',
  'threshold.of',
]
const loose = computed(() => props.faults.filter((f) => !placed.some((p) => f.where?.includes(p))).map((f) => f.text))

const family = computed(() =>
  d.value.silence !== undefined
    ? 'silence'
    : d.value.beyond !== undefined
      ? 'outlier'
      : d.value.choose?.length
        ? 'choose'
        : 'bands',
)
function turnTo(to: string) {
  const { name, title, judges, where, base, no_data, persists, on, stops, valid_from, valid_until, shows, stake } =
    d.value
  const kept = { name, title, judges, where, base, no_data, persists, on, stops, valid_from, valid_until, shows, stake }
  const of = d.value.of ?? measures.value[0]?.name
  const grade = grades.value.at(-1)?.name ?? ''
  const parts: Record<string, Partial<Definition>> = {
    bands: { of, bands: [{ grade, below: '0' }, { rest: true }] },
    choose: { choose: [{ grade, how: 'all', of: [`${of} is missing`] }] },
    outlier: { of, beyond: '3.5', side: 'both', peers: 8, grade },
    silence: { silence: book.value?.feeds[0]?.name, days: 60, grade, no_data: undefined },
  }
  emit('change', { ...kept, ...parts[to] })
}

const measures = computed(() => props.report?.measures ?? [])
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
    { value: 'whole', text: 'the whole' },
  ]
})
const judges = computed(() => d.value.judges ?? [])
const levelText = (v: string) => levels.value.find((l) => l.value === v)?.text ?? v
const attributes = computed(() => {
  const kinds = new Set(judges.value.flatMap((j) => j.split(' x ').map((s) => s.split('.')[0])))
  return (book.value?.kinds ?? [])
    .filter((k) => kinds.has(k.name))
    .flatMap((k) => k.attributes.map((a) => ({ name: `${k.name}.${a}`, title: `${a} of a ${k.title.toLowerCase()}` })))
})
const dials = computed(() => (props.report?.dials ?? []).map((x) => ({ name: x.name, title: `dial, ${x.value}` })))
const formulaNames = computed(() => [
  ...measures.value,
  ...dials.value,
  ...(props.report?.functions ?? []),
  ...attributes.value,
])
const yardsticks = [
  { text: 'itself', value: '' },
  { text: 'its target', value: 'target' },
  { text: 'the period before', value: 'earlier(OF)' },
  { text: 'a year before', value: 'earlier(OF, 1 year)' },
  { text: 'its own median of 12', value: 'history(OF, 12, median)' },
  { text: 'its own best of 12', value: 'history(OF, 12, best)' },
  { text: 'the whole', value: 'overall(OF)' },
  { text: "all peers' median", value: 'peers(OF, median)' },
]
const yardstickOf = (v: string) => v.replace('OF', d.value.of ?? '')
function setAgainst(against: string) {
  set({ against: against || undefined, as: against ? (d.value.as ?? 'ratio') : undefined })
}

// Bands: an end is one of four words with a number or a dial.
type Band = Schemas['BandDefinition']
const words = { below: 'below', at_most: 'at most', above: 'above', at_least: 'at least' } as const
type Word = keyof typeof words
const ends = (b: Band) => (Object.keys(words) as Word[]).filter((w) => b[w] !== undefined)
const bands = computed(() => d.value.bands ?? [])
const setBand = (i: number, b: Band) => set({ bands: bands.value.map((x, k) => (k === i ? b : x)) })
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
const addBand = () => {
  const rest = bands.value.findIndex((b) => b.rest)
  const list = [...bands.value]
  list.splice(rest < 0 ? list.length : rest, 0, { grade: grades.value.at(-1)?.name, below: '0' })
  set({ bands: list })
}
type Choice = Schemas['ChoiceDefinition']
const choices = computed(() => d.value.choose ?? [])
const setChoice = (i: number, part: Partial<Choice>) =>
  set({ choose: choices.value.map((c, k) => (k === i ? { ...c, ...part } : c)) })
const hows = { all: 'all of these', any: 'any of these', none: 'none of these', some: 'at least so many of these' }

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
  <form class="space-y-4" @submit.prevent>
    <p v-for="f in loose" :key="f" role="alert" class="text-small text-red">{{ f }}</p>
    <div class="grid grid-cols-[minmax(0,2fr)_minmax(0,1fr)] gap-3">
      <label class="text-small text-muted"
        >Title<input class="field mt-0.5 w-full" :value="d.title" @change="(e) => set({ title: value(e) })"
      /></label>
      <label class="text-small text-muted"
        >Name<input
          class="field mt-0.5 w-full font-mono text-small"
          :value="d.name"
          @change="(e) => set({ name: value(e) })"
      /></label>
    </div>

    <fieldset>
      <legend class="text-small font-semibold text-muted">Each month, judge</legend>
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
            @change="
              (e) => set({ judges: family === 'bands' || family === 'choose' ? [...judges, value(e)] : [value(e)] })
            "
          >
            <option value="">{{ family === 'bands' || family === 'choose' ? 'and …' : 'instead …' }}</option>
            <option v-for="l in levels.filter((x) => !judges.includes(x.value))" :key="l.value" :value="l.value">
              {{ l.text }}
            </option>
          </select>
        </li>
      </ul>
      <p v-for="f in at('judges')" :key="f" role="alert" class="text-small text-red">{{ f }}</p>
      <div class="mt-2 grid grid-cols-[auto_1fr] items-start gap-x-2 gap-y-2">
        <span class="pt-1.5 text-small text-muted">only where</span>
        <FormulaField
          :model-value="d.where ?? ''"
          label="Only where"
          :names="attributes"
          :faults="at('where')"
          placeholder='rep.territory is not "Outer Isles"'
          @update:model-value="(v) => set({ where: v || undefined })"
        />
        <span class="pt-1.5 text-small text-muted">large enough</span>
        <div class="space-y-1">
          <div v-for="(b, i) in d.base ?? []" :key="i" class="flex gap-2">
            <select
              class="field text-small"
              :aria-label="`Measure of minimum ${i + 1}`"
              :value="b.measure"
              @change="(e) => set({ base: d.base!.map((x, k) => (k === i ? { ...x, measure: value(e) } : x)) })"
            >
              <option v-for="m in measures" :key="m.name" :value="m.name">{{ m.title }}</option>
            </select>
            <input
              class="field w-36 font-mono text-small"
              :aria-label="`Minimum ${i + 1}`"
              :value="b.least"
              @change="(e) => set({ base: d.base!.map((x, k) => (k === i ? { ...x, least: value(e) } : x)) })"
            />
            <button
              type="button"
              class="text-muted hover:text-red"
              :aria-label="`Remove minimum ${i + 1}`"
              @click="set({ base: d.base!.filter((_, k) => k !== i) })"
            >
              <TrashIcon class="size-4" aria-hidden="true" />
            </button>
          </div>
          <button
            type="button"
            class="text-small text-tide hover:underline"
            @click="set({ base: [...(d.base ?? []), { measure: measures[0]?.name ?? '', least: 'at least 1' }] })"
          >
            + a minimum
          </button>
          <p v-for="f in at('base')" :key="f" role="alert" class="text-small text-red">{{ f }}</p>
        </div>
      </div>
    </fieldset>

    <fieldset>
      <legend class="flex items-center gap-2 text-small font-semibold text-muted">
        by
        <select
          class="field text-small font-normal"
          aria-label="Family"
          :value="family"
          @change="(e) => turnTo(value(e))"
        >
          <option value="bands">bands of a measure</option>
          <option value="choose">conditions</option>
          <option value="outlier">distance from peers</option>
          <option value="silence">silence</option>
        </select>
      </legend>

      <template v-if="family === 'bands'">
        <div class="mt-2 flex flex-wrap items-center gap-2">
          <select
            class="field"
            aria-label="Measure"
            :value="d.of"
            @change="(e) => set({ of: value(e), against: d.against?.replaceAll(d.of ?? '', value(e)) })"
          >
            <option v-for="m in measures" :key="m.name" :value="m.name">{{ m.title }}</option>
          </select>
          <span class="text-muted">against</span>
          <select
            class="field"
            aria-label="Yardstick"
            :value="yardsticks.find((y) => yardstickOf(y.value) === (d.against ?? ''))?.value ?? 'own'"
            @change="(e) => value(e) !== 'own' && setAgainst(yardstickOf(value(e)))"
          >
            <option v-for="y in yardsticks" :key="y.value" :value="y.value">{{ y.text }}</option>
            <option value="own">a formula</option>
          </select>
          <select
            v-if="d.against"
            class="field"
            aria-label="Held as"
            :value="d.as"
            @change="(e) => set({ as: value(e) })"
          >
            <option value="ratio">as a share of it</option>
            <option value="difference">as the difference</option>
            <option value="change">as the change from it</option>
          </select>
        </div>
        <FormulaField
          v-if="d.against && d.against !== 'target'"
          class="mt-2"
          :model-value="d.against"
          label="Yardstick formula"
          :names="formulaNames"
          :faults="at('against')"
          @update:model-value="setAgainst"
        />
        <ol class="mt-2 space-y-1.5" aria-label="Bands">
          <li v-for="(b, i) in bands" :key="i" class="flex flex-wrap items-center gap-1.5">
            <select
              class="field text-small"
              :aria-label="`Grade of band ${i + 1}`"
              :value="b.grade ?? (b.rest ? 'rest' : '')"
              @change="
                (e) =>
                  setBand(
                    i,
                    value(e) === 'rest' ? { rest: true } : { ...b, rest: undefined, grade: value(e) || undefined },
                  )
              "
            >
              <option v-for="g in grades" :key="g.name" :value="g.name">{{ g.label }}</option>
              <option value="">Clear</option>
              <option value="rest">Clear: all the rest</option>
            </select>
            <template v-if="!b.rest">
              <span v-for="w in ends(b)" :key="w" class="inline-flex items-center">
                <select
                  class="field rounded-r-none text-small"
                  :aria-label="`End of band ${i + 1}`"
                  :value="w"
                  @change="(e) => setEnd(i, w, value(e) as Word, b[w]!)"
                >
                  <option v-for="(t, k) in words" :key="k" :value="k">{{ t }}</option>
                </select>
                <input
                  class="field w-36 rounded-l-none border-l-0 font-mono text-small"
                  :aria-label="`${words[w]}, band ${i + 1}`"
                  :value="b[w]"
                  list="dial-names"
                  @change="(e) => setEnd(i, w, w, value(e))"
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
            <button
              type="button"
              class="ml-auto text-muted hover:text-red"
              :aria-label="`Remove band ${i + 1}`"
              @click="set({ bands: bands.filter((_, k) => k !== i) })"
            >
              <TrashIcon class="size-4" aria-hidden="true" />
            </button>
          </li>
        </ol>
        <datalist id="dial-names"><option v-for="x in dials" :key="x.name" :value="x.name"></option></datalist>
        <button type="button" class="mt-1 text-small text-tide hover:underline" @click="addBand">+ a band</button>
        <p v-for="f in at('bands', 'threshold.of')" :key="f" role="alert" class="text-small text-red">{{ f }}</p>
      </template>

      <ol v-else-if="family === 'choose'" class="mt-2 space-y-3" aria-label="Choices">
        <li v-for="(c, i) in choices" :key="i" class="border-l-2 border-line pl-3">
          <div class="flex flex-wrap items-center gap-2">
            <select
              class="field text-small"
              :aria-label="`Grade of choice ${i + 1}`"
              :value="c.grade"
              @change="(e) => setChoice(i, { grade: value(e) })"
            >
              <option v-for="g in grades" :key="g.name" :value="g.name">{{ g.label }}</option>
            </select>
            <span class="text-muted">where</span>
            <select
              class="field text-small"
              :aria-label="`How many of choice ${i + 1}`"
              :value="c.how"
              @change="
                (e) => setChoice(i, { how: value(e) as Choice['how'], at_least: value(e) === 'some' ? 2 : undefined })
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
              @change="(e) => setChoice(i, { at_least: Number(value(e)) })"
            />
            <button
              type="button"
              class="ml-auto text-muted hover:text-red"
              :aria-label="`Remove choice ${i + 1}`"
              @click="set({ choose: choices.filter((_, k) => k !== i) })"
            >
              <TrashIcon class="size-4" aria-hidden="true" />
            </button>
          </div>
          <div v-for="(of, k) in c.of" :key="k" class="mt-1 flex items-start gap-2">
            <FormulaField
              wide
              :model-value="of"
              :label="`Condition ${k + 1} of choice ${i + 1}`"
              :names="formulaNames"
              placeholder="margin_rate below 18%"
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
            @click="setChoice(i, { of: [...c.of, `${measures[0]?.name} above 0`] })"
          >
            + a condition
          </button>
        </li>
        <li>
          <button
            type="button"
            class="text-small text-tide hover:underline"
            @click="
              set({
                choose: [
                  ...choices,
                  { grade: grades.at(-1)?.name ?? '', how: 'any', of: [`${measures[0]?.name} above 0`] },
                ],
              })
            "
          >
            + a choice
          </button>
          <span class="ml-2 text-small text-muted">The first that fits decides; everything else is clear.</span>
        </li>
        <li v-for="f in at('choose')" :key="f">
          <p role="alert" class="text-small text-red">{{ f }}</p>
        </li>
      </ol>

      <div v-else-if="family === 'outlier'" class="mt-2 flex flex-wrap items-center gap-2">
        <select class="field" aria-label="Measure" :value="d.of" @change="(e) => set({ of: value(e) })">
          <option v-for="m in measures" :key="m.name" :value="m.name">{{ m.title }}</option>
        </select>
        <span class="text-muted">among</span>
        <select
          class="field"
          aria-label="Among"
          :value="d.among ?? ''"
          @change="(e) => set({ among: value(e) || undefined })"
        >
          <option value="">all</option>
          <option v-for="a in attributes" :key="a.name" :value="a.name">the same {{ a.name.split('.')[1] }}</option>
        </select>
        <span class="text-muted">robust score beyond</span>
        <input
          class="field w-28 font-mono text-small"
          aria-label="Beyond"
          :value="d.beyond"
          list="dial-names-2"
          @change="(e) => set({ beyond: value(e) })"
        />
        <datalist id="dial-names-2"><option v-for="x in dials" :key="x.name" :value="x.name"></option></datalist>
        <select class="field" aria-label="Side" :value="d.side" @change="(e) => set({ side: value(e) })">
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
            @change="(e) => set({ peers: Number(value(e)) })"
          />
          others:</label
        >
        <select class="field text-small" aria-label="Grade" :value="d.grade" @change="(e) => set({ grade: value(e) })">
          <option v-for="g in grades" :key="g.name" :value="g.name">{{ g.label }}</option>
        </select>
        <p v-for="f in at('outlier')" :key="f" role="alert" class="text-small text-red">{{ f }}</p>
      </div>

      <div v-else class="mt-2 flex flex-wrap items-center gap-2">
        <span class="text-muted">no line of</span>
        <select class="field" aria-label="Feed" :value="d.silence" @change="(e) => set({ silence: value(e) })">
          <option v-for="f in book?.feeds ?? []" :key="f.name" :value="f.name">{{ f.title }}</option>
        </select>
        <label class="text-muted"
          >for
          <input
            type="number"
            min="1"
            class="field w-20"
            :value="d.days"
            @change="(e) => set({ days: Number(value(e)) })"
          />
          days:</label
        >
        <select class="field text-small" aria-label="Grade" :value="d.grade" @change="(e) => set({ grade: value(e) })">
          <option v-for="g in grades" :key="g.name" :value="g.name">{{ g.label }}</option>
        </select>
        <p v-for="f in at('window')" :key="f" role="alert" class="text-small text-red">{{ f }}</p>
      </div>
    </fieldset>

    <fieldset>
      <legend class="text-small font-semibold text-muted">Examples that must hold for ever after</legend>
      <ul class="mt-1 space-y-1">
        <li v-for="(ex, i) in examples" :key="i" class="flex items-center gap-2">
          <input
            class="field w-full font-mono text-small"
            :aria-label="`Inputs of example ${i + 1}`"
            placeholder="margin_rate 18%, revenue 6000"
            :value="inputsText(ex)"
            @change="(e) => setExample(i, { ...parseInputs(value(e)), is: ex.is })"
          />
          <span class="text-muted">is</span>
          <select
            class="field text-small"
            :aria-label="`Verdict of example ${i + 1}`"
            :value="ex.is"
            @change="(e) => setExample(i, { ...ex, is: value(e) })"
          >
            <option v-for="g in grades" :key="g.name" :value="g.name">{{ g.label }}</option>
            <option>clear</option>
            <option>no data</option>
            <option>not judged</option>
          </select>
          <button
            type="button"
            class="text-muted hover:text-red"
            :aria-label="`Remove example ${i + 1}`"
            @click="set({ examples: examples.filter((_, k) => k !== i) })"
          >
            <TrashIcon class="size-4" aria-hidden="true" />
          </button>
        </li>
      </ul>
      <button
        type="button"
        class="text-small text-tide hover:underline"
        @click="set({ examples: [...examples, { [d.of ?? 'revenue']: '0', is: 'clear' }] })"
      >
        <PlusIcon class="inline size-3.5" aria-hidden="true" /> an example
      </button>
      <p v-for="f in at('examples')" :key="f" role="alert" class="text-small text-red">{{ f }}</p>
    </fieldset>

    <details>
      <summary class="cursor-pointer text-small font-semibold text-muted">
        More: no data, persistence, stake, order, dates
      </summary>
      <div class="mt-2 grid grid-cols-[auto_1fr] items-center gap-x-3 gap-y-2">
        <template v-if="family !== 'silence'">
          <label for="no-data" class="text-small text-muted">No data</label>
          <select
            id="no-data"
            class="field w-48 text-small"
            :value="d.no_data ?? ''"
            @change="(e) => set({ no_data: value(e) || undefined })"
          >
            <option value="">says nothing</option>
            <option v-for="g in grades" :key="g.name" :value="g.name">is {{ g.label }}</option>
          </select>
        </template>
        <label for="persists" class="text-small text-muted">Flag from</label>
        <div>
          <input
            id="persists"
            class="field w-24 font-mono text-small"
            placeholder="2 of 3"
            :value="d.persists"
            @change="(e) => set({ persists: value(e) || undefined })"
          />
          <span class="ml-2 text-small text-muted">of the last months on; empty: at once</span>
          <p v-for="f in at('persists')" :key="f" role="alert" class="text-small text-red">{{ f }}</p>
        </div>
        <span class="text-small text-muted">At stake</span>
        <FormulaField
          :model-value="d.stake ?? ''"
          label="At stake"
          :names="formulaNames"
          :faults="at('stake')"
          placeholder="(margin_floor - margin_rate) * revenue"
          @update:model-value="(v) => set({ stake: v || undefined })"
        />
        <span class="text-small text-muted">Order</span>
        <label class="text-small"
          ><input
            type="checkbox"
            class="mr-1.5"
            :checked="d.stops"
            @change="(e) => set({ stops: (e.target as HTMLInputElement).checked || undefined })"
          />a breach stops the rules after it for that subject</label
        >
        <span class="text-small text-muted">In force</span>
        <div class="flex flex-wrap items-center gap-2 text-small">
          <label
            ><input
              type="checkbox"
              class="mr-1.5"
              :checked="d.on !== false"
              @change="(e) => set({ on: (e.target as HTMLInputElement).checked ? undefined : false })"
            />on</label
          >
          <label
            >from
            <input
              type="date"
              class="field text-small"
              :value="d.valid_from"
              @change="(e) => set({ valid_from: value(e) || undefined })"
          /></label>
          <label
            >until
            <input
              type="date"
              class="field text-small"
              :value="d.valid_until"
              @change="(e) => set({ valid_until: value(e) || undefined })"
          /></label>
          <p v-for="f in at('valid')" :key="f" role="alert" class="text-red">{{ f }}</p>
        </div>
      </div>
    </details>
  </form>
</template>
