<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'

import { api, need, type Schemas } from '@/lib/api'
import { countWords } from '@/lib/format'
import QueryState from '@/parts/ui/QueryState.vue'

/** Why a figure moved: from then to now, part by part, adding up exactly. */
const props = defineProps<{
  measure: string
  from: Schemas['VarianceAsk']['from']
  by: string
  subject: string
  period: string
}>()
const from = ref(props.from)
const parts = ref<string>()
const few = 8
const shown = ref(few)
watch(
  () => [props.measure, props.by, props.subject, props.period],
  () => {
    from.value = props.from
    parts.value = undefined
    shown.value = few
  },
)
const { data, error, isPending } = useQuery({
  queryKey: computed(() => [
    'variance',
    props.measure,
    props.by,
    props.subject,
    props.period,
    from.value,
    parts.value,
    shown.value,
  ]),
  queryFn: () =>
    need(
      api.GET('/api/variance', {
        params: {
          query: {
            measure: props.measure,
            by: props.by,
            key: props.subject,
            period: props.period,
            from: from.value,
            parts: parts.value,
            limit: shown.value,
          },
        },
      }),
    ),
  placeholderData: keepPreviousData,
  retry: false,
})
const choices = ref<Schemas['Named'][]>([]) // kept while another question has no answer
watch(data, (d) => d && (choices.value = d.choices), { immediate: true })

interface Step {
  key: string
  name: string
  then: string
  now: string
  change: string
  note: string
  low: number
  high: number
  up: boolean
  whole?: boolean
  link?: string
}
/** Each step begins where the one before ended. */
function steps(then: number, items: { change: number; step: Omit<Step, 'low' | 'high' | 'up'> }[]): Step[] {
  let at = then
  return items.map(({ change, step }) => {
    const to = at + change
    const out = { ...step, low: Math.min(at, to), high: Math.max(at, to), up: change >= 0 }
    at = to
    return out
  })
}
const walk = computed<Step[]>(() => {
  const d = data.value
  if (!d) return []
  const whole = (name: string, f: Schemas['VarianceFigure']): Step => ({
    key: name,
    name,
    then: '',
    now: f.text,
    change: '',
    note: '',
    low: Math.min(0, f.value),
    high: Math.max(0, f.value),
    up: true,
    whole: true,
  })
  const items = d.parts.map((p) => ({
    change: p.change.value,
    step: {
      key: p.key,
      name: p.name,
      then: p.then?.text ?? '–',
      now: p.now?.text ?? '–',
      change: p.change.text,
      note: p.there === 'both' ? '' : p.there,
      link: `/subjects/${encodeURIComponent(d.axis)}/${encodeURIComponent(p.key)}`,
    },
  }))
  if (d.rest) {
    const others = countWords(d.total - d.parts.length, 'other')
    items.push({
      change: d.rest.value,
      step: { key: 'rest', name: others, then: '', now: '', change: d.rest.text, note: '', link: '' },
    })
  }
  return [whole(d.before, d.then), ...steps(d.then.value, items), whole(d.label, d.now)]
})
const effects = computed<Step[]>(() =>
  steps(
    data.value?.then.value ?? 0,
    (data.value?.effects ?? []).map((x) => ({
      change: x.change.value,
      step: { key: x.name, name: x.name, then: '', now: '', change: x.change.text, note: x.words },
    })),
  ),
)
// The scale holds the moving ends; of a whole that lies far below them only the top is seen.
const scale = computed(() => {
  const moving = [...walk.value.filter((s) => !s.whole), ...effects.value].flatMap((s) => [s.low, s.high])
  const ends = [...moving, data.value?.then.value ?? 0, data.value?.now.value ?? 0]
  let low = Math.min(...ends)
  let high = Math.max(...ends)
  const room = (high - low || Math.abs(high) || 1) * 0.12
  low = low > 0 && low - room < (high - low) * 0.3 ? 0 : low - room
  high = high < 0 && high + room > 0 ? 0 : high + room
  return { low, high }
})
const place = (v: number) =>
  (100 * (Math.min(Math.max(v, scale.value.low), scale.value.high) - scale.value.low)) /
  (scale.value.high - scale.value.low)
const bar = (s: Step) => ({
  left: `${place(s.low)}%`,
  width: `${place(s.high) - place(s.low)}%`,
  minWidth: '2px',
})
const cut = computed(() => scale.value.low > 0 || scale.value.high < 0)
const fromChoices = [
  { value: 'before', text: 'the period before' },
  { value: 'year before', text: 'the year before' },
  { value: 'usual', text: 'the average of the last 12' },
] as const
</script>

<template>
  <div>
    <div class="mt-1 flex flex-wrap items-center gap-2 text-small">
      <label
        >From
        <select v-model="from" class="field ml-1">
          <option v-for="f in fromChoices" :key="f.value" :value="f.value">{{ f.text }}</option>
        </select>
      </label>
      <label v-if="choices.length"
        >by
        <select
          class="field ml-1"
          :value="data?.axis ?? parts"
          @change="(e) => (parts = (e.target as HTMLSelectElement).value)"
        >
          <option v-for="c in choices" :key="c.name" :value="c.name">{{ c.title }}</option>
        </select>
      </label>
    </div>
    <p v-if="error" class="mt-2 text-small text-muted">{{ error.message }}</p>
    <QueryState v-else-if="!data" :loading="isPending" :error="null" />
    <template v-else>
      <table class="mt-2 w-full border-collapse text-small">
        <caption class="pb-1 text-left text-muted">
          {{
            data.title
          }}:
          {{
            data.change.text
          }}<template v-if="data.ratio">, by rate and by weight (mix)</template
          >, adding up exactly; current data.
        </caption>
        <thead class="sr-only">
          <tr>
            <th scope="col">Part</th>
            <th scope="col">Then</th>
            <th scope="col">Now</th>
            <th scope="col">Drawn</th>
            <th scope="col">Change</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="s in walk" :key="s.key" class="h-6" :class="s.whole ? 'font-semibold' : ''">
            <th scope="row" class="max-w-40 truncate pr-2 text-left font-[inherit]" :title="s.name">
              <RouterLink
                v-if="s.link"
                :to="{ path: s.link, query: { period } }"
                class="font-normal no-underline hover:underline"
                >{{ s.name }}</RouterLink
              >
              <span v-else :class="s.whole ? '' : 'font-normal'">{{ s.name }}</span>
            </th>
            <td class="figures hidden pr-2 text-right whitespace-nowrap text-muted sm:table-cell">{{ s.then }}</td>
            <td class="figures pr-2 text-right whitespace-nowrap" :class="s.whole ? '' : 'text-muted'">{{ s.now }}</td>
            <td class="w-2/5" aria-hidden="true">
              <span class="relative block h-4 bg-sunk">
                <span
                  class="absolute inset-y-0.5"
                  :class="s.whole ? 'bg-muted' : s.up ? 'bg-tide' : 'border border-ink bg-card'"
                  :style="bar(s)"
                ></span>
              </span>
            </td>
            <td class="figures pl-2 text-right whitespace-nowrap">
              {{ s.change }}<span v-if="s.note" class="ml-1 text-muted">{{ s.note }}</span>
            </td>
          </tr>
        </tbody>
      </table>
      <p class="mt-1 flex flex-wrap items-center gap-x-4 text-small text-muted">
        <span class="inline-flex items-center gap-1"
          ><span class="inline-block h-3 w-4 bg-tide" aria-hidden="true"></span>increases</span
        >
        <span class="inline-flex items-center gap-1"
          ><span class="inline-block h-3 w-4 border border-ink bg-card" aria-hidden="true"></span>decreases</span
        >
        <span v-if="cut">The axis does not start at zero.</span>
        <button v-if="data.rest" class="underline hover:text-tide" @click="shown = 200">Show more parts</button>
      </p>
      <table v-if="effects.length" class="mt-3 w-full border-collapse text-small">
        <caption class="pb-1 text-left text-muted">
          The same change by volume, mix and price
        </caption>
        <tbody>
          <tr v-for="s in effects" :key="s.key" class="h-6">
            <th scope="row" class="pr-2 text-left align-top font-normal">
              {{ s.name }}<span class="block text-muted">{{ s.note }}</span>
            </th>
            <td class="w-2/5 pt-1 align-top" aria-hidden="true">
              <span class="relative block h-4 bg-sunk">
                <span
                  class="absolute inset-y-0.5"
                  :class="s.up ? 'bg-tide' : 'border border-ink bg-card'"
                  :style="bar(s)"
                ></span>
              </span>
            </td>
            <td class="figures pl-2 text-right align-top whitespace-nowrap">{{ s.change }}</td>
          </tr>
        </tbody>
      </table>
    </template>
  </div>
</template>
