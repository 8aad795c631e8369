<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'

import { api, need, type Schemas } from '@/lib/api'
import { countWords, momentWords } from '@/lib/format'
import { usePeriod } from '@/lib/period'
import { useRulebook } from '@/lib/rulebook'
import { usePeople } from '@/lib/people'
import GradeMark from '@/parts/ui/GradeMark.vue'
import ShapeMark from '@/parts/ui/ShapeMark.vue'
import StaleNote from '@/parts/exceptions/StaleNote.vue'
import KeptLinks from '@/parts/figures/KeptLinks.vue'
import ClockNote from '@/parts/sweeps/ClockNote.vue'
import DueNote from '@/parts/sweeps/DueNote.vue'
import QueryState from '@/parts/ui/QueryState.vue'

const { nameOf } = usePeople()

const { period } = usePeriod()
const { grades } = useRulebook()
const { data, error, isPending, refetch } = useQuery({
  queryKey: computed(() => ['overview', period.value]),
  queryFn: () => need(api.GET('/api/overview', { params: { query: { period: period.value! } } })),
  enabled: computed(() => !!period.value),
  placeholderData: keepPreviousData,
})
const top = useQuery({
  queryKey: computed(() => ['exceptions', 'top', period.value]),
  queryFn: () =>
    need(api.GET('/api/exceptions', { params: { query: { period: period.value!, state: 'flagged', limit: 8 } } })),
  enabled: computed(() => !!period.value),
  placeholderData: keepPreviousData,
})

const flagged = (c: Schemas['Counts']) => c.raised + c.standing
const all = computed(() => (data.value?.grades ?? []).reduce((n, g) => n + flagged(g), 0))
const cleared = computed(() => (data.value?.grades ?? []).reduce((n, g) => n + g.cleared, 0))
const kinds = computed(() => (data.value?.kinds ?? []).filter((k) => flagged(k) || k.cleared))
const to = (query: Record<string, string>) => ({ path: '/exceptions', query: { period: period.value, ...query } })
const crowded = computed(() => (data.value?.sweep?.tallies ?? []).filter((t) => t.crowded))
// A flag is of an event, of which a subject may have several: both are counted, and said.
const subjects = (rule: string) =>
  (data.value?.sweep?.tallies ?? []).filter((t) => t.rule === rule).reduce((n, t) => n + t.flagged, 0)
const ruleTitle = (name: string) => data.value?.rules.find((r) => r.name === name)?.title ?? name
const dash = (n: number | undefined) => (n ? n.toLocaleString('en-GB') : '–')
</script>

<template>
  <QueryState v-if="!data" :loading="isPending" :error="error" @retry="refetch()" />
  <div v-else class="p-4">
    <h1 class="sr-only">Overview of {{ data.label }}</h1>
    <ClockNote />
    <DueNote />
    <QueryState
      v-if="!data.sweep"
      class="!m-0"
      :empty="
        data.state === 'no lines'
          ? `No lines have come in for ${data.label} yet, so there is nothing to judge.`
          : `${data.label} has lines and has not been swept yet. An analyst sweeps it at the top right, or with: oskel sweep -period ${data.period}`
      "
    />
    <template v-else>
      <StaleNote :why="data.sweep.stale" />
      <div class="flex flex-wrap items-stretch gap-3">
        <RouterLink
          v-for="g in data.grades"
          :key="g.name"
          :to="to({ grade: g.name })"
          class="card min-w-44 px-4 py-2.5 text-ink no-underline hover:border-tide"
        >
          <GradeMark :grade="g.name" /><span class="sr-only">: </span>
          <span class="figures mt-0.5 block text-figure font-semibold">{{
            flagged(g).toLocaleString('en-GB')
          }}</span><span class="sr-only">, </span>
          <span class="text-small text-muted">{{ g.raised }} raised, {{ g.standing }} standing</span>
        </RouterLink>
        <RouterLink
          :to="to({ state: 'cleared' })"
          class="card min-w-36 px-4 py-2.5 text-ink no-underline hover:border-tide"
        >
          <span class="text-muted">Cleared</span><span class="sr-only">: </span>
          <span class="figures mt-0.5 block text-figure font-semibold text-muted">{{
            cleared.toLocaleString('en-GB')
          }}</span><span class="sr-only">, </span>
          <span class="text-small text-muted">no longer flagged</span>
        </RouterLink>
        <div class="card px-4 py-2.5">
          <span class="text-muted">Flagged, by kind</span>
          <table class="figures mt-0.5">
            <caption class="sr-only">
              Flagged by kind
            </caption>
            <thead>
              <tr>
                <th scope="col"><span class="sr-only">Kind</span></th>
                <th v-for="g in grades" :key="g.name" scope="col" class="pl-3 text-right leading-none">
                  <ShapeMark :shape="g.shape" :tone="g.tone" /><span class="sr-only">{{ g.label }}</span>
                </th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="k in kinds" :key="k.name">
                <th scope="row" class="pr-4 text-left font-normal">
                  <RouterLink :to="to({ kind: k.name })" class="inline-block min-h-6">{{ k.title }}</RouterLink>
                </th>
                <td v-for="g in grades" :key="g.name" class="pl-3 text-right">{{ dash(k.grades?.[g.name]) }}</td>
              </tr>
              <tr v-if="!kinds.length">
                <td class="text-muted">none</td>
              </tr>
            </tbody>
          </table>
        </div>
        <p class="ml-auto self-end text-right text-small text-muted">
          {{ countWords(all, 'exception') }} by sweep {{ data.sweep.id }}<br />revision {{ data.sweep.revision }}, by
          {{ nameOf(data.sweep.by) }}, {{ momentWords(data.sweep.at) }}
        </p>
      </div>

      <p v-for="t in crowded" :key="t.rule" class="mt-3 text-amber">
        {{ ruleTitle(t.rule) }} flags {{ t.flagged }} of {{ t.judged }}: too many to be useful. Mark the rarer side
        instead.
      </p>

      <div class="mt-5 grid gap-x-8 gap-y-6 xl:grid-cols-[minmax(0,1fr)_420px]">
        <section class="min-w-0">
          <h2 class="text-small font-semibold text-muted">Most serious</h2>
          <ul v-if="top.data.value?.items.length" class="mt-1">
            <li v-for="x in top.data.value.items" :key="x.id" class="border-b border-line">
              <RouterLink
                :to="`/exceptions/${x.id}`"
                class="grid grid-cols-[92px_minmax(0,1fr)] items-baseline gap-3 py-1.5 text-ink no-underline hover:bg-tide-soft"
              >
                <GradeMark :grade="x.grade" />
                <span>
                  <span class="font-semibold">{{ x.name }}</span>
                  <span class="ml-2 text-small text-muted">{{ x.rule_title }}, {{ x.state }}</span>
                  <span class="block">{{ x.sentence }}</span>
                </span>
              </RouterLink>
            </li>
          </ul>
          <p v-else class="mt-1 text-muted">Nothing is flagged in {{ data.label }}.</p>
          <p v-if="all > 8" class="mt-2">
            <RouterLink :to="to({})">All {{ all }} exceptions</RouterLink>
          </p>
        </section>

        <div class="space-y-6">
          <KeptLinks :period="data.period" />
          <section>
            <h2 class="text-small font-semibold text-muted">By rule</h2>
            <table class="grid-table figures mt-1">
              <thead>
                <tr>
                  <th scope="col">Rule</th>
                  <th scope="col" class="!text-right">Flags</th>
                  <th scope="col" class="!text-right">Subjects</th>
                  <th scope="col" class="!text-right">of judged</th>
                  <th scope="col" class="!text-right">Raised</th>
                </tr>
              </thead>
              <tbody>
                <tr v-for="r in data.rules" :key="r.name" :class="flagged(r) ? '' : 'text-muted'">
                  <td class="!whitespace-normal">
                    <RouterLink v-if="flagged(r)" :to="to({ rule: r.name })">{{ r.title }}</RouterLink>
                    <template v-else>{{ r.title }}</template>
                  </td>
                  <td class="text-right font-semibold">{{ dash(flagged(r)) }}</td>
                  <td class="text-right">{{ dash(subjects(r.name)) }}</td>
                  <td class="text-right text-muted">{{ dash(r.judged) }}</td>
                  <td class="text-right">{{ dash(r.raised) }}</td>
                </tr>
              </tbody>
            </table>
          </section>
          <section>
            <h2 class="text-small font-semibold text-muted">By desk</h2>
            <table class="grid-table figures mt-1">
              <thead>
                <tr>
                  <th scope="col">Desk</th>
                  <th scope="col" class="!text-right">Flagged</th>
                  <th scope="col" class="!text-right">Unsettled cases</th>
                </tr>
              </thead>
              <tbody>
                <tr v-for="d in data.desks" :key="d.name">
                  <td>
                    <RouterLink :to="{ path: '/desk', query: { desk: d.name } }">{{ d.title }}</RouterLink>
                  </td>
                  <td class="text-right">{{ dash(flagged(d)) }}</td>
                  <td class="text-right">{{ dash(d.unsettled) }}</td>
                </tr>
              </tbody>
            </table>
          </section>
        </div>
      </div>
    </template>
  </div>
</template>
