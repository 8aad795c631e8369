<script setup lang="ts">
import { useMutation, useQueryClient } from '@tanstack/vue-query'
import { ChevronLeftIcon } from '@heroicons/vue/20/solid'
import { computed, nextTick, ref, watch } from 'vue'

import { api, need, type Schemas } from '@/lib/api'
import { dayWords, shortPeriod } from '@/lib/format'
import { usePeriod } from '@/lib/period'
import { toneColour, useRulebook } from '@/lib/rulebook'
import { useSession } from '@/lib/session'
import { refresh } from '@/lib/queries'

/** The last thirteen periods as small columns stacked by grade; it is the
 *  period picker, and moves with the arrow keys. */
const { until, earlier, newest, query, periods, period, label, state, closed, choose, each, grains, chooseGrain } =
  usePeriod()
const { grades } = useRulebook()
const { may } = useSession()
const queries = useQueryClient()

const tall = 34
const most = computed(() => Math.max(8, ...periods.value.map(total)))
const total = (p: Schemas['PeriodState']) => Object.values(p.grades).reduce((a, b) => a + b, 0)
// Grades differ by pattern and order as well as by colour: the most serious full, the next
// striped, those after it in outline.
const pattern = (g: Schemas['Grade'], i: number) => {
  const colour = toneColour(g.tone)
  if (i === 0) return { background: colour }
  if (i === 1) return { background: `repeating-linear-gradient(135deg, ${colour} 0 2px, transparent 2px 4px)` }
  return { boxShadow: `inset 0 0 0 1px ${colour}` }
}
const height = (n: number) => Math.max(n > 0 ? 2 : 0, (n / most.value) * tall)

const stateWords: Record<string, string> = {
  swept: 'swept',
  stale: 'out of date: rules or data have changed since the sweep',
  unswept: 'not swept yet',
  'no lines': 'no lines yet',
}
const stands = (p: Schemas['PeriodState']) =>
  p.to_date ? `to date, up to ${dayWords(p.to_date)}` : stateWords[p.state]
const words = (p: Schemas['PeriodState']) => {
  const parts = grades.value.filter((g) => p.grades[g.name]).map((g) => `${p.grades[g.name]} ${g.label}`)
  return `${p.label}, ${stands(p)}${parts.length ? ': ' + parts.join(', ') : ''}`
}

const group = ref<HTMLElement>()
async function move(by: number) {
  const at = periods.value.findIndex((p) => p.period === period.value)
  const to = periods.value[Math.min(periods.value.length - 1, Math.max(0, at + by))]
  if (!to) return
  await choose(to.period)
  await nextTick()
  group.value?.querySelector<HTMLElement>('[aria-checked="true"]')?.focus()
}

const chosen = computed(() => periods.value.find((p) => p.period === period.value))

// The chosen period comes into sight, however narrow the strip; what was scrolled stays when
// the list is only asked for anew.
watch(
  [period, () => periods.value.length],
  async () => {
    await nextTick()
    const of = group.value
    const at = of?.querySelector<HTMLElement>('[aria-checked="true"]')
    if (of && at) of.scrollLeft = at.offsetLeft - of.offsetLeft - (of.clientWidth - at.offsetWidth) / 2
  },
  { immediate: true, flush: 'post' },
)

// While a sweep is under way it says how far it is, and can be stopped: nothing is
// recorded then.
const stage = ref('')
let stop: AbortController | undefined
const sweep = useMutation({
  mutationFn: async (p: Schemas['PeriodState']) => {
    stop = new AbortController()
    const told = new EventSource('/api/changes')
    told.addEventListener('sweeping', (e) => {
      const at = JSON.parse(e.data) as { stage: string; number: number; of: number }
      stage.value = at.stage ? `${at.number} of ${at.of}: ${at.stage}` : ''
    })
    try {
      return await need(
        api.POST('/api/sweeps', {
          body: { period: p.period, open_cases: true, to_date: p.running },
          signal: stop.signal,
        }),
      )
    } finally {
      told.close()
      stage.value = ''
    }
  },
  onSuccess: () => refresh(queries, 'all'),
})
</script>

<template>
  <section
    aria-label="Periods"
    class="sticky top-0 z-10 flex min-h-[76px] items-end gap-4 border-b border-line bg-paper px-4 pt-2 pb-1.5 max-sm:static max-sm:flex-wrap max-sm:gap-y-1"
  >
    <select
      v-if="grains.length > 1"
      class="field mb-1 text-small"
      aria-label="Length of period"
      :value="each"
      @change="(e) => chooseGrain((e.target as HTMLSelectElement).value)"
    >
      <option v-for="g in grains" :key="g" :value="g">each {{ g }}</option>
    </select>
    <button
      v-if="periods.length > 1"
      class="button mb-1 px-1"
      :disabled="periods[0].state === 'no lines'"
      aria-label="Earlier periods"
      title="Earlier periods"
      @click="earlier()"
    >
      <ChevronLeftIcon class="size-4" aria-hidden="true" />
    </button>
    <div
      v-if="periods.length"
      ref="group"
      role="radiogroup"
      aria-label="Period"
      class="flex items-end gap-1 overflow-x-auto max-sm:w-full"
      @keydown.left.prevent="move(-1)"
      @keydown.right.prevent="move(1)"
      @keydown.home.prevent="move(-99)"
      @keydown.end.prevent="move(99)"
    >
      <button
        v-for="p in periods"
        :key="p.period"
        role="radio"
        :aria-checked="p.period === period"
        :aria-label="words(p)"
        :title="words(p)"
        :tabindex="p.period === period ? 0 : -1"
        class="group flex min-w-12 shrink-0 flex-col items-center rounded px-1 pt-1 aria-checked:bg-tide-soft"
        @click="choose(p.period)"
      >
        <span class="figures mb-1 text-small leading-none text-muted" aria-hidden="true">{{
          total(p) || '\u00a0'
        }}</span>
        <span class="flex w-6 flex-col justify-end" :style="{ height: tall + 'px' }">
          <span
            v-if="p.state === 'unswept' || p.state === 'no lines'"
            class="block h-2 border border-dashed"
            :class="p.state === 'unswept' ? 'border-muted' : 'border-line'"
          ></span>
          <template v-else>
            <span
              v-for="(g, i) in [...grades].reverse()"
              :key="g.name"
              class="block"
              :class="p.state === 'stale' ? 'opacity-45' : ''"
              :style="{ height: height(p.grades[g.name] ?? 0) + 'px', ...pattern(g, grades.length - 1 - i) }"
            ></span>
            <span class="block h-px bg-muted"></span>
          </template>
        </span>
        <span
          class="figures mt-0.5 text-small whitespace-nowrap group-aria-checked:font-semibold group-aria-checked:text-tide"
          :class="p.period === period ? '' : 'text-muted'"
        >
          {{ shortPeriod(p.period, p.label, /-[PQWH]?0?1$/.test(p.period) || p === periods[0]) }}
        </span>
      </button>
    </div>
    <button v-if="until" class="button mb-1" @click="newest()">Newest</button>
    <p v-else-if="!periods.length && query.isPending.value" class="pb-2 text-muted">Reading the periods…</p>
    <p v-else-if="!periods.length" class="pb-2 text-muted">No data has been loaded yet.</p>
    <div v-if="period" class="period-said">
      <div>
        <span class="text-lead font-semibold">{{ label }}</span>
        <span class="ml-2 text-small" :class="state === 'stale' ? 'text-amber' : 'text-muted'">{{
          closed
            ? `closed${state === 'stale' ? ', out of date' : ''}`
            : chosen?.to_date
              ? stands(chosen)
              : (state ?? '')
        }}</span>
      </div>
      <div v-if="sweep.isPending.value" class="flex items-center gap-2 text-small" role="status">
        Sweeping{{ stage ? `, ${stage}` : '…' }}
        <button class="button" @click="stop?.abort()">Stop</button>
      </div>
      <button
        v-else-if="
          may('createSweep') && chosen && !closed && (chosen.running || state !== 'swept') && state !== 'no lines'
        "
        class="button-main"
        @click="sweep.mutate(chosen)"
      >
        Sweep {{ label }}{{ chosen.running ? ' to date' : '' }}
      </button>
    </div>
    <p
      v-if="sweep.error.value && sweep.error.value.name !== 'AbortError'"
      role="alert"
      class="pb-1 text-small text-red"
    >
      {{ sweep.error.value.message }}
    </p>
  </section>
</template>
