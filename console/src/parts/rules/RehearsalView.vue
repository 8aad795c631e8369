<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'

import { api, need, type Schemas } from '@/lib/api'
import type { Definition } from '@/lib/draft'
import { countWords } from '@/lib/format'
import GradeMark from '@/parts/ui/GradeMark.vue'
import RankDrawing from '@/parts/exceptions/RankDrawing.vue'

/** What a rule of the draft would do, on real data, while it is written. */
const props = defineProps<{
  text: string
  sound: boolean
  rule: string
  period: string
  definition?: Definition
  dials?: Schemas['Dial'][]
}>()
const emit = defineEmits<{ change: [d: Definition]; turn: [dial: string, value: string] }>()

const level = ref('')
watch(
  () => props.rule,
  () => (level.value = ''),
)
type Ask = Schemas['RehearsalRequest']
const plain = computed<Ask>(() => ({
  look_back: 0,
  line_up: false,
  text: props.text,
  rule: props.rule,
  period: props.period,
  by: props.definition?.judges?.includes(level.value) ? level.value : undefined,
}))
const enabled = computed(() => props.sound && !!props.rule && !!props.period)
const rehearse = (body: Ask) => need(api.POST('/api/rehearsals', { body }))
const settled = useQuery({
  queryKey: computed(() => ['rehearsal', plain.value]),
  queryFn: () => rehearse({ ...plain.value, line_up: true }),
  enabled,
  placeholderData: (old, query) =>
    query?.queryKey[1] && (query.queryKey[1] as Ask).rule === props.rule ? old : undefined,
  gcTime: 30_000,
})
const back = useQuery({
  queryKey: computed(() => ['rehearsal', plain.value, 'back']),
  queryFn: () => rehearse({ ...plain.value, look_back: 6 }),
  enabled,
  gcTime: 30_000,
})

// A cut in hand: everything follows while it moves; let go, it is written down.
type Band = Schemas['BandDefinition']
const sideOf = (b: Band) => ({ low: b.at_least ?? b.above, high: b.at_most ?? b.below })
const numberOf = (t: string) => (t.endsWith('%') ? Number(t.slice(0, -1)) / 100 : Number(t))
/** Which stated ends of bands a cut of the line-up is; it may be a dial. */
function endsAt(cut: number) {
  const bands = props.definition?.bands ?? []
  return bands.flatMap((b, band) => {
    const { low, high } = sideOf(b)
    return [
      { text: high, isHigh: true },
      { text: low, isHigh: false },
    ].flatMap(({ text, isHigh }) => {
      const dial = props.dials?.find((d) => d.name === text)
      const number = dial?.value ?? text
      const here = number !== undefined && Math.abs(numberOf(number) - cut) < 1e-9
      return here ? [{ band, high: isHigh, text: number, dial }] : []
    })
  })
}
const moving = ref<{ index: number; value: number }>()
const cuts = computed(() => settled.data.value?.line_up?.cuts ?? [])
const moved = computed(
  () => moving.value && cuts.value.map((c, i) => (i === moving.value!.index ? moving.value!.value : c)),
)
const movable = computed(() => cuts.value.some((c) => endsAt(c).length) && !!props.definition?.bands?.length)
const written = (value: number, like: string) =>
  like.endsWith('%') ? `${Number((value * 100).toFixed(2))}%` : String(Number(value.toFixed(4)))
const held = computed(() => {
  const m = moving.value
  const ends = m ? endsAt(cuts.value[m.index]) : []
  if (!m || !ends.length) return undefined
  const dials = Object.fromEntries(ends.flatMap((e) => (e.dial ? [[e.dial.name, written(m.value, e.text)]] : [])))
  const numbers = ends.filter((e) => !e.dial)
  return { dials, cuts: numbers.map((e) => ({ band: e.band, high: e.high, value: written(m.value, e.text) })) }
})
const turning = useQuery({
  queryKey: computed(() => ['rehearsal', plain.value, held.value]),
  queryFn: () => rehearse({ ...plain.value, ...held.value }),
  enabled: computed(() => enabled.value && !!held.value),
  placeholderData: keepPreviousData,
  retry: false,
  gcTime: 5_000,
})
const hint = ref('')
function move(index: number, value: number) {
  const ends = endsAt(cuts.value[index])
  hint.value = ''
  const dials = ends.flatMap((e) => e.dial ?? [])
  if (dials.length && dials.length < ends.length) {
    hint.value = `One band ends at the dial ${dials[0].name}, the next begins at a number: write the dial in both.`
    return
  }
  for (const dial of dials) {
    // A dial stays within its range, and what else uses it follows.
    const { name, from, to, uses } = dial
    if (from !== undefined) value = Math.max(value, numberOf(from))
    if (to !== undefined) value = Math.min(value, numberOf(to))
    const others = uses.filter((u) => u !== `rule ${props.rule}`)
    hint.value = `This cut is the dial ${name}${others.length ? `, which turns ${others.join(', ')}, too` : ''}.`
  }
  if (ends.length) moving.value = { index, value }
}
function moveEnd(index: number, value: number) {
  const ends = endsAt(cuts.value[index])
  move(index, value)
  // What cannot be moved has said why; another cut may still be in hand.
  if (moving.value?.index !== index || !props.definition) return
  const at = moving.value.value
  for (const name of new Set(ends.flatMap((e) => e.dial?.name ?? []))) {
    emit('turn', name, written(at, ends.find((e) => e.dial?.name === name)!.text))
  }
  if (ends.some((e) => e.dial)) return
  const bands = props.definition.bands!.map((b, i) => {
    const out = { ...b }
    for (const end of ends.filter((e) => e.band === i)) {
      const keys = end.high ? (['at_most', 'below'] as const) : (['at_least', 'above'] as const)
      out[keys.find((k) => b[k] !== undefined)!] = written(at, end.text)
    }
    return out
  })
  emit('change', { ...props.definition, bands })
}
watch(
  () => settled.data.value,
  () => (moving.value = undefined),
)

const now = computed(() => (held.value && turning.data.value) || settled.data.value)
const show = ref<'flagged' | 'flips' | 'near'>('flips')
const lists = computed(() => ({
  flagged: now.value?.flagged ?? [],
  flips: now.value?.flips ?? [],
  near: now.value?.near ?? [],
}))
const turned = computed(() => now.value?.turned)
const most = computed(() => Math.max(1, ...(back.data.value?.back ?? []).map((b) => b.flagged)))

// What if one subject had other figures?
const key = ref('')
const figures = ref('')
const asked = ref<{ key: string; what_if: Record<string, string> }>()
function ask() {
  const what_if: Record<string, string> = {}
  for (const part of figures.value.split(',')) {
    const [name, ...rest] = part.trim().split(/\s+/)
    if (name) what_if[name] = rest.join(' ')
  }
  asked.value = key.value.trim() ? { key: key.value.trim(), what_if } : undefined
}
const whatIf = useQuery({
  queryKey: computed(() => ['rehearsal', plain.value, asked.value]),
  queryFn: () => rehearse({ ...plain.value, ...asked.value }),
  enabled: computed(() => enabled.value && !!asked.value),
  retry: false,
  gcTime: 5_000,
})
</script>

<template>
  <section aria-label="Rehearsal" class="space-y-4">
    <header class="flex flex-wrap items-baseline gap-x-3">
      <h2 class="font-semibold">Rehearsal</h2>
      <span class="text-small text-muted">on real data; changes nothing</span>
      <select
        v-if="(definition?.judges?.length ?? 0) > 1"
        v-model="level"
        class="field ml-auto text-small"
        aria-label="Level shown"
      >
        <option value="">{{ definition!.judges![0] }}</option>
        <option v-for="j in definition!.judges!.slice(1)" :key="j" :value="j">{{ j }}</option>
      </select>
    </header>
    <p v-if="!sound && !now" class="text-muted">The rehearsal starts when the draft has no errors.</p>
    <p v-else-if="settled.error.value" role="alert" class="text-red">{{ settled.error.value.message }}</p>
    <div v-else-if="!now" class="h-40 rounded bg-sunk" role="status"><span class="sr-only">Rehearsing</span></div>
    <template v-else>
      <p aria-live="polite" :class="sound ? '' : 'opacity-60'">
        <span class="figures text-title font-semibold">{{ now.tally.flagged.toLocaleString('en-GB') }}</span>
        flagged of {{ now.tally.judged.toLocaleString('en-GB') }} judged<template v-if="now.published"
          >, {{ now.published.flagged.toLocaleString('en-GB') }} by the published rule</template
        ><template v-else>; the published rulebook has no such rule</template>.
        <span v-if="turned" class="block text-small text-muted">
          {{ turned.flagged }} newly, {{ turned.no_longer }} no longer flagged, {{ turned.regraded }} with another
          grade<template v-if="now.tally.no_data">; {{ now.tally.no_data }} without data</template>
        </span>
      </p>
      <p v-if="!now.tally.subjects" class="text-small text-amber" role="status">The scope matches no subject.</p>
      <p v-if="now.crowded" class="text-small text-amber" role="status">{{ now.crowded }}.</p>
      <div>
        <RankDrawing
          v-if="settled.data.value?.line_up?.points.length"
          :line-up="settled.data.value.line_up"
          :movable="movable"
          :moved="moved"
          @move="move"
          @move-end="moveEnd"
        />
        <p v-if="movable" class="text-small text-muted">
          Drag a cut, or move it with the arrow keys; everything here follows.
        </p>
        <p v-if="hint" class="text-small text-muted">{{ hint }}</p>
      </div>

      <div>
        <div role="tablist" aria-label="Who" class="flex gap-1 border-b border-line text-small">
          <button
            v-for="[k, t] in [
              ['flips', 'Changed'],
              ['flagged', 'Flagged'],
              ['near', 'Near a cut'],
            ] as const"
            :key="k"
            role="tab"
            :aria-selected="show === k"
            class="-mb-px border-b-2 px-2 py-1"
            :class="show === k ? 'border-tide font-semibold text-tide' : 'border-transparent'"
            @click="show = k"
          >
            {{ t }} {{ lists[k].length }}
          </button>
        </div>
        <p v-if="!lists[show].length" class="py-2 text-small text-muted">
          {{
            {
              flips: 'No subject would change.',
              flagged: 'No subjects.',
              near: 'No subject is near a cut.',
            }[show]
          }}
        </p>
        <ul v-else class="max-h-72 overflow-auto" tabindex="0" :aria-label="show">
          <li v-for="f in lists[show]" :key="f.key" class="border-b border-line py-1.5">
            <span class="inline-flex flex-wrap items-center gap-x-2">
              <template v-if="show === 'flips'">
                <GradeMark v-if="f.before" :grade="f.before" /><span v-else class="text-muted">clear</span>
                <span aria-hidden="true">→</span><span class="sr-only">becomes</span>
              </template>
              <GradeMark v-if="f.after" :grade="f.after" /><span v-else class="text-muted">clear</span>
              <span class="font-semibold">{{ f.name }}</span>
              <span class="font-mono text-small text-muted">{{ f.key }}</span>
            </span>
            <span class="block text-small text-muted">{{ f.sentence }}</span>
          </li>
        </ul>
      </div>

      <div v-if="back.data.value?.back.length">
        <h3 class="text-small font-semibold text-muted">Look-back</h3>
        <table class="figures mt-1 w-full text-small">
          <thead class="text-muted">
            <tr>
              <th scope="col" class="text-left font-normal">Period</th>
              <th scope="col" class="w-2/5 text-left font-normal">Flagged</th>
              <th scope="col" class="text-right font-normal">again</th>
              <th scope="col" class="pl-2 text-right font-normal">explained</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="b in back.data.value.back" :key="b.period">
              <th scope="row" class="pr-2 text-left font-normal whitespace-nowrap">{{ b.label }}</th>
              <td v-if="b.empty" colspan="3" class="text-muted">no lines</td>
              <td v-if="!b.empty">
                <span
                  class="inline-block h-2.5 bg-tide align-middle"
                  :style="{ width: `${(70 * b.flagged) / most}%` }"
                  aria-hidden="true"
                ></span>
                <span class="ml-1.5">{{ b.flagged.toLocaleString('en-GB') }}</span>
              </td>
              <td v-if="!b.empty" class="text-right">{{ b.persisted }}</td>
              <td v-if="!b.empty" class="text-right">{{ b.explained }}</td>
            </tr>
          </tbody>
        </table>
      </div>

      <div v-if="now.desks.length">
        <h3 class="text-small font-semibold text-muted">Cases per desk</h3>
        <ul class="figures mt-1 text-small">
          <li v-for="x in now.desks" :key="x.desk" class="flex justify-between border-b border-line py-0.5">
            <span>{{ x.title }}</span><span>{{ x.before }} → {{ x.after }}</span>
          </li>
        </ul>
      </div>

      <form v-if="definition && !definition.window" @submit.prevent="ask">
        <h3 class="text-small font-semibold text-muted">What if</h3>
        <div class="mt-1 flex flex-wrap items-center gap-2">
          <input
            v-model="key"
            class="field w-24 font-mono text-small"
            placeholder="Key"
            aria-label="Key of the subject"
          />
          <span class="text-muted">had</span>
          <input
            v-model="figures"
            class="field min-w-40 flex-1 font-mono text-small"
            :placeholder="`${definition.of ?? definition.outlier?.of ?? 'a_measure'} 100`"
            aria-label="Its figures"
          />
          <button class="button">Ask</button>
        </div>
        <p v-if="whatIf.error.value" role="alert" class="mt-1 text-small text-red">{{ whatIf.error.value.message }}</p>
        <p v-else-if="whatIf.data.value?.what_if" role="status" class="mt-1 flex items-center gap-2">
          {{ asked?.key }} would be
          <GradeMark v-if="whatIf.data.value.what_if.grade" :grade="whatIf.data.value.what_if.grade" />
          <b v-else>{{ whatIf.data.value.what_if.outcome }}</b>
          <span v-if="whatIf.data.value.what_if.why" class="text-muted">{{ whatIf.data.value.what_if.why }}</span>
        </p>
      </form>
      <p class="sr-only">{{ countWords(now.tally.subjects, 'subject') }} in scope</p>
    </template>
  </section>
</template>
