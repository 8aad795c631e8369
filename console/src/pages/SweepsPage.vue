<script setup lang="ts">
import { Disclosure, DisclosureButton, DisclosurePanel } from '@headlessui/vue'
import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'

import { api, need, type Schemas } from '@/lib/api'
import { countWords, dayWords, momentWords } from '@/lib/format'
import { useChoices } from '@/lib/choices'
import { usePeriod } from '@/lib/period'
import { useSession } from '@/lib/session'
import ClockNote from '@/parts/sweeps/ClockNote.vue'
import DueNote from '@/parts/sweeps/DueNote.vue'
import SweepMany from '@/parts/sweeps/SweepMany.vue'
import QueryState from '@/parts/ui/QueryState.vue'
import { refresh } from '@/lib/queries'
import { usePeople } from '@/lib/people'

const { nameOf } = usePeople()

/** What is swept by itself and when, what was swept, and the closing of a period. */
const { period, label, periods } = usePeriod()
const { may } = useSession()
const queries = useQueryClient()
const schedule = useQuery({
  queryKey: ['schedule'],
  queryFn: () => need(api.GET('/api/schedule')),
  refetchInterval: 15_000,
})
const { data, error, isPending, refetch, hasNextPage, fetchNextPage, isFetchingNextPage } = useInfiniteQuery({
  queryKey: ['sweeps'],
  queryFn: ({ pageParam }) => need(api.GET('/api/sweeps', { params: { query: { before: pageParam || undefined } } })),
  initialPageParam: 0,
  getNextPageParam: (page) => (page.length < 100 ? undefined : page.at(-1)?.id),
})
const sweeps = computed(() => data.value?.pages.flat())
const turnWords: Record<Schemas['Turn']['state'], string> = {
  coming: 'Coming',
  waiting: 'Waiting',
  'no lines': 'No lines',
  due: 'Due now',
  swept: 'Swept',
  'out of date': 'Out of date',
  'at night': 'Out of date',
  closed: 'Closed',
}
const changeWords: Record<Schemas['Change']['change'], string> = {
  flagged: 'Flagged now',
  'no longer': 'No longer flagged',
  regraded: 'Regraded',
  'other value': 'Another value',
}
const changed = (s: Schemas['Sweep']) =>
  s.difference
    ? s.difference.flagged + s.difference.no_longer + s.difference.regraded + (s.difference.other_value ?? 0)
    : 0
const choices = useChoices()
const ruleTitle = (name: string) => choices.rules.value.find((r) => r.value === name)?.text ?? name
const difference = (s: Schemas['Sweep']) =>
  s.difference
    ? [
        [s.difference.flagged, 'flagged'],
        [s.difference.no_longer, 'no longer'],
        [s.difference.regraded, 'regraded'],
        [s.difference.other_value ?? 0, 'other value'],
      ]
        .filter(([n]) => n)
        .map(([n, word]) => `${n} ${word}`)
        .join(', ') || 'nothing changed'
    : ''

const here = computed(() => periods.value.find((p) => p.period === period.value))
const why = ref('')
const signOff = ref(false)
const closing = useMutation({
  mutationFn: () =>
    here.value?.closed
      ? need(api.POST('/api/closings/end', { body: { period: period.value!, reason: why.value } }))
      : need(
          api.POST('/api/closings', {
            body: { period: period.value!, note: why.value || undefined, sign_off: signOff.value },
          }),
        ),
  onSuccess: async () => {
    why.value = ''
    signOff.value = false
    await refresh(queries, 'all')
  },
})
const verified = ref<Record<number, string>>({})
const verify = useMutation({
  mutationFn: (id: number) => need(api.GET('/api/sweeps/{id}/verification', { params: { path: { id } } })),
  onSuccess: (v) =>
    (verified.value[v.sweep] = v.count
      ? `${countWords(v.count, 'thing')} on record ${v.count === 1 ? 'does' : 'do'} not hold`
      : `${countWords(v.checked, 'exception')} computed again: all hold`),
})
watch(period, () => closing.reset())
</script>

<template>
  <section class="min-w-0 flex-1 space-y-6 p-4">
    <h1 class="sr-only">Sweeps</h1>
    <ClockNote />
    <DueNote />

    <section>
      <h2 class="text-lead font-semibold">Scheduled</h2>
      <QueryState v-if="!schedule.data.value" :loading="schedule.isPending.value" :error="schedule.error.value" />
      <p v-else-if="!schedule.data.value.plans.length" class="text-muted">
        No sweeps are scheduled: the rulebook has no 'sweeps'.
      </p>
      <div v-for="plan in schedule.data.value?.plans ?? []" :key="plan.each" class="mt-1">
        <p class="max-w-3xl text-small text-muted">{{ plan.words }}</p>
        <table class="grid-table cards-narrow mt-2 max-w-4xl">
          <caption class="sr-only">
            Scheduled sweeps
            {{
              plan.each
            }}
          </caption>
          <thead>
            <tr>
              <th scope="col">Period</th>
              <th scope="col">State</th>
              <th scope="col">Next step</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="t in plan.turns" :key="t.period">
              <td class="whitespace-nowrap">{{ t.label }}</td>
              <td class="whitespace-nowrap" :class="t.trouble ? 'text-red' : t.state === 'swept' ? 'text-muted' : ''">
                {{ t.trouble ? 'Failed' : turnWords[t.state] }}
              </td>
              <td>{{ t.words }}</td>
            </tr>
          </tbody>
        </table>
      </div>
    </section>

    <section v-if="may('closePeriod') && here?.sweep">
      <h2 class="text-lead font-semibold">{{ here.closed ? `${label} is closed` : `Close ${label}` }}</h2>
      <p v-if="here.closed" class="text-small text-muted">
        {{ nameOf(here.closed.by) }} {{ here.closed.signed_off ? 'signed it off' : 'closed it' }},
        {{ momentWords(here.closed.at) }}<template v-if="here.closed.note">: {{ here.closed.note }}</template
        ><template v-if="here.same_by">. Revision {{ here.same_by }} flags the same.</template>
      </p>
      <p v-else class="text-small text-muted">Nothing sweeps a closed period until a lead opens it again.</p>
      <form class="mt-2 flex flex-wrap items-end gap-2" @submit.prevent="closing.mutate()">
        <label class="text-small"
          >{{ here.closed ? 'Why it is opened again' : 'Note' }}
          <input v-model="why" class="field mt-0.5 block w-80" maxlength="1000" :required="!!here.closed" />
        </label>
        <label v-if="!here.closed" class="pb-1.5 text-small"
          ><input v-model="signOff" type="checkbox" class="mr-1.5" />sign it off: all its cases are settled or
          parked</label
        >
        <button class="button" :disabled="closing.isPending.value">
          {{ here.closed ? 'Open it again' : signOff ? `Sign ${label} off and close it` : `Close ${label}` }}
        </button>
      </form>
      <p v-if="closing.error.value" role="alert" class="mt-1 text-small text-red">{{ closing.error.value.message }}</p>
    </section>

    <SweepMany v-if="may('createSweep')" />

    <section>
      <h2 class="text-lead font-semibold">What was swept</h2>
      <QueryState v-if="!sweeps" :loading="isPending" :error="error" @retry="refetch()" />
      <p v-else-if="!sweeps.length" class="text-muted">Nothing was swept yet.</p>
      <table v-else class="grid-table cards-narrow mt-1">
        <caption class="sr-only">
          Sweeps, the newest first
        </caption>
        <thead>
          <tr>
            <th scope="col" class="text-right">Sweep</th>
            <th scope="col">Period</th>
            <th scope="col">When</th>
            <th scope="col">By</th>
            <th scope="col" class="text-right">Raised</th>
            <th scope="col" class="text-right">Standing</th>
            <th scope="col" class="text-right">Cleared</th>
            <th scope="col">Change since previous sweep</th>
            <th scope="col">On</th>
            <th scope="col"><span class="sr-only">Actions</span></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="s in sweeps" :key="s.id">
            <td class="figures text-right">{{ s.id }}</td>
            <td class="whitespace-nowrap">
              <RouterLink :to="{ path: '/exceptions', query: { period: s.period, sweep: s.id } }">{{
                periods.find((p) => p.period === s.period)?.label ?? s.period
              }}</RouterLink>
              <span v-if="s.to_date" class="block text-small text-muted">to date, up to {{ dayWords(s.to_date) }}</span>
            </td>
            <td
              class="text-small whitespace-nowrap text-muted"
              :title="(s.stages ?? []).map((x) => `${x.stage} ${x.ms} ms`).join(', ')"
            >
              {{ momentWords(s.at) }}
            </td>
            <td class="text-small">{{ nameOf(s.by) }}</td>
            <td class="figures text-right" :class="s.raised ? '' : 'text-muted'">{{ s.raised }}</td>
            <td class="figures text-right" :class="s.standing ? '' : 'text-muted'">{{ s.standing }}</td>
            <td class="figures text-right" :class="s.cleared ? '' : 'text-muted'">{{ s.cleared }}</td>
            <td class="text-small">
              <Disclosure v-if="s.difference?.examples.length" v-slot="{ open }">
                <DisclosureButton class="text-left underline decoration-line underline-offset-2 hover:text-tide"
                  >{{ difference(s) }}<span class="sr-only">{{ open ? ', hide' : ', who' }}</span></DisclosureButton
                >
                <DisclosurePanel as="ul" class="mt-1 min-w-64">
                  <li v-for="(c, i) in s.difference.examples" :key="i">
                    {{ changeWords[c.change] }}:
                    <RouterLink :to="{ path: '/exceptions', query: { period: s.period, rule: c.rule, text: c.key } }">{{
                      c.name
                    }}</RouterLink>, {{ ruleTitle(c.rule)
                    }}<template v-if="c.before || c.after">
                      ({{ [c.before, c.after].filter(Boolean).join(' → ') }})</template
                    >
                  </li>
                  <li v-if="changed(s) > s.difference.examples.length" class="text-muted">
                    and {{ changed(s) - s.difference.examples.length }} more
                  </li>
                </DisclosurePanel>
              </Disclosure>
              <template v-else>{{ difference(s) }}</template>
              <span v-if="s.difference?.stands" class="block text-muted"
                >{{ countWords(s.difference.stands, 'rule') }} not judged again</span
              ><span v-if="s.stale" class="block text-amber">{{ s.stale }}</span>
            </td>
            <td class="text-small whitespace-nowrap text-muted">
              revision {{ s.revision }}, data version {{ s.data_version }}
            </td>
            <td class="text-small">
              <span v-if="verified[s.id]" role="status">{{ verified[s.id] }}</span>
              <button
                v-else
                class="underline hover:text-tide"
                :disabled="verify.isPending.value"
                :aria-label="`Verify sweep ${s.id}`"
                @click="verify.mutate(s.id)"
              >
                Verify
              </button>
            </td>
          </tr>
        </tbody>
      </table>
      <p v-if="verify.error.value" role="alert" class="mt-1 text-small text-red">{{ verify.error.value.message }}</p>
      <button v-if="hasNextPage" class="button mt-3" :disabled="isFetchingNextPage" @click="fetchNextPage()">
        Earlier
      </button>
    </section>
  </section>
</template>
