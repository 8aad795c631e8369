<script setup lang="ts">
import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'

import { api, need, type Schemas } from '@/lib/api'
import { usePeriod } from '@/lib/period'
import { useQueryWord } from '@/lib/query'
import { useRulebook } from '@/lib/rulebook'
import { useSession } from '@/lib/session'
import PublishWhy from '@/parts/rules/PublishWhy.vue'
import RuleTabs from '@/parts/rules/RuleTabs.vue'
import QueryState from '@/parts/ui/QueryState.vue'
import { refresh } from '@/lib/queries'

const queries = useQueryClient()
const { may } = useSession()
const { book } = useRulebook()
const { period, label } = usePeriod()
const { data, error, isPending, refetch } = useQuery({
  queryKey: ['dials'],
  queryFn: () => need(api.GET('/api/dials')),
})
const chosen = useQueryWord('dial')
const dial = computed(() => data.value?.find((d) => d.name === chosen.value) ?? data.value?.[0])
const percent = computed(() => dial.value?.value.endsWith('%') ?? false)
const plain = (s?: string) => (s === undefined ? undefined : Number(s.replace('%', '')))
const value = ref('')
watch(dial, (d) => (value.value = d?.value ?? ''), { immediate: true })
const slide = (e: Event) => (value.value = (e.target as HTMLInputElement).value + (percent.value ? '%' : ''))
const turned = computed(() => !!dial.value && value.value !== dial.value.value)
const effect = useQuery({
  queryKey: computed(() => ['rehearse-dial', dial.value?.name, value.value, period.value]),
  queryFn: () =>
    need(
      api.POST('/api/rehearsals/book', { body: { period: period.value!, dials: { [dial.value!.name]: value.value } } }),
    ),
  enabled: computed(() => !!dial.value && !!period.value && !!value.value),
  placeholderData: keepPreviousData,
  retry: false,
  gcTime: 10_000,
})
const touched = computed(
  () => effect.data.value?.rules.filter((r) => r.turned.flagged || r.turned.no_longer || r.turned.regraded) ?? [],
)

const wanted = ref(10)
const solution = useMutation({
  mutationFn: () =>
    need(
      api.POST('/api/rehearsals/solution', {
        body: { dial: dial.value!.name, wanted: wanted.value, period: period.value!, periods: 6 },
      }),
    ),
  onSuccess: (s: Schemas['Solution']) => (value.value = s.value),
})
watch(
  () => dial.value?.name,
  () => solution.reset(),
)
const turn = useMutation({
  mutationFn: (note: string) =>
    need(
      api.PUT('/api/dials/{name}', {
        params: { path: { name: dial.value!.name } },
        body: { value: value.value, note, based_on: book.value!.revision },
      }),
    ),
  onSuccess: () => refresh(queries, 'all'),
})
const most = computed(() => Math.max(1, ...(solution.data.value?.tried ?? []).map((t) => t.average)))
</script>

<template>
  <div class="p-4">
    <RuleTabs />
    <h1 class="sr-only">Dials</h1>
    <QueryState v-if="!data" :loading="isPending" :error="error" @retry="refetch()" />
    <QueryState v-else-if="!dial" empty="The rulebook has no dials. A dial is a named number that rules share." />
    <div v-else class="mt-3 grid gap-6 md:grid-cols-[13rem_minmax(0,34rem)]">
      <ul>
        <li v-for="d in data" :key="d.name">
          <button
            class="flex w-full justify-between rounded px-2 py-1 hover:bg-tide-soft"
            :class="d.name === dial.name ? 'bg-tide-soft font-semibold text-tide' : ''"
            @click="chosen = d.name"
          >
            <span class="font-mono">{{ d.name }}</span><span class="figures">{{ d.value }}</span>
          </button>
        </li>
      </ul>
      <section :aria-label="dial.name" class="space-y-4">
        <p class="text-muted">Used by: {{ dial.uses.join(', ') || 'nothing' }}.</p>
        <div class="flex items-center gap-3">
          <template v-if="dial.from && dial.to">
            <span class="figures text-muted">{{ dial.from }}</span>
            <input
              type="range"
              class="w-full accent-[var(--tide)]"
              :aria-label="`Value of ${dial.name}`"
              :aria-valuetext="value"
              :min="plain(dial.from)"
              :max="plain(dial.to)"
              :step="percent ? 0.1 : 0.05"
              :value="plain(value)"
              @input="slide"
            />
            <span class="figures text-muted">{{ dial.to }}</span>
          </template>
          <input v-model="value" class="field w-24 font-mono" :aria-label="`${dial.name}, written`" />
        </div>
        <p v-if="effect.error.value" role="alert" class="text-red">{{ effect.error.value.message }}</p>
        <div v-else-if="effect.data.value" role="status">
          <p>
            At {{ value }}, <b class="figures">{{ effect.data.value.after }}</b> subjects
            {{ turned ? 'would be' : 'are' }} flagged, rule by rule, in {{ label
            }}<template v-if="turned"
              >; at {{ dial.value }} it is <b class="figures">{{ effect.data.value.before }}</b></template
            >.
          </p>
          <p v-for="r in touched" :key="r.rule + r.level" class="text-small text-muted">
            {{ r.title }}: {{ r.turned.flagged }} newly, {{ r.turned.no_longer }} no longer,
            {{ r.turned.regraded }} regraded
          </p>
          <p v-for="a in effect.data.value.advice" :key="a" class="text-small text-amber">Warning: {{ a }}.</p>
        </div>
        <form
          v-if="dial.from && dial.to && dial.uses.length"
          class="flex flex-wrap items-center gap-2"
          @submit.prevent="solution.mutate()"
        >
          <label
            >About <input v-model.number="wanted" type="number" min="0" step="any" class="field w-20" /> a month would
            be right:</label
          >
          <button class="button" :disabled="solution.isPending.value">Find the value</button>
        </form>
        <p v-if="solution.error.value" role="alert" class="text-red">{{ solution.error.value.message }}</p>
        <div v-else-if="solution.data.value">
          <p>
            {{ solution.data.value.value }} flags {{ solution.data.value.average.toFixed(1) }} a month over the last
            six, by {{ solution.data.value.rules.join(', ') }}; now it is
            {{ solution.data.value.now_average.toFixed(1) }}.
          </p>
          <table class="figures mt-1 w-full text-small">
            <caption class="sr-only">
              What was tried
            </caption>
            <thead class="text-muted">
              <tr>
                <th scope="col" class="text-right font-normal">Value</th>
                <th scope="col" class="pl-3 text-left font-normal">Flagged a month</th>
              </tr>
            </thead>
            <tbody>
              <tr
                v-for="t in solution.data.value.tried"
                :key="t.value"
                :class="t.value === solution.data.value.value ? 'font-semibold text-tide' : ''"
              >
                <td class="w-20 text-right">{{ t.value }}</td>
                <td class="pl-3">
                  <span
                    class="inline-block h-2.5 bg-tide align-middle"
                    :style="{ width: `${(75 * t.average) / most}%` }"
                    aria-hidden="true"
                  ></span>
                  <span class="ml-1.5">{{ t.average.toFixed(1) }}</span>
                </td>
              </tr>
            </tbody>
          </table>
        </div>
        <PublishWhy
          v-if="may('changeDial') && turned"
          :button="`Publish ${dial.name} = ${value}`"
          :pending="turn.isPending.value"
          :error="turn.error.value"
          @publish="(note) => turn.mutate(note)"
        />
        <p v-else-if="turn.data.value && !turned" role="status" class="text-muted">
          Revision {{ turn.data.value.number }} is published.
        </p>
      </section>
    </div>
  </div>
</template>
