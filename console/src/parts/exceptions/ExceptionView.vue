<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'

import { useActs } from '@/lib/acts'
import { api, need } from '@/lib/api'
import { dayWords } from '@/lib/format'
import { useQueryWord } from '@/lib/query'
import { useRulebook } from '@/lib/rulebook'
import { useSession } from '@/lib/session'
import EvidenceRows from '@/parts/exceptions/EvidenceRows.vue'
import FlagDrawings from '@/parts/exceptions/FlagDrawings.vue'
import GradeMark from '@/parts/ui/GradeMark.vue'
import RankChart from '@/parts/exceptions/RankChart.vue'
import SelectOne from '@/parts/ui/SelectOne.vue'
import StaleNote from '@/parts/exceptions/StaleNote.vue'
import QueryState from '@/parts/ui/QueryState.vue'

/** One exception: the sentence first, then what backs it up. */
const props = defineProps<{ id: number; page?: boolean; sweep?: number }>()
const { desk, kind } = useRulebook()
/** The group that is lit up among all, by an attribute that the subject shares. */
const beside = useQueryWord('beside')
const { data, error, isPending, refetch } = useQuery({
  queryKey: computed(() => ['exception', props.id, props.sweep, beside.value]),
  queryFn: () =>
    need(
      api.GET('/api/exceptions/{id}', {
        params: { path: { id: props.id }, query: { sweep: props.sweep, beside: beside.value || undefined } },
      }),
    ),
  placeholderData: (old) => (old?.exception.id === props.id ? old : undefined),
})
const { person, may } = useSession()
const { toDesk } = useActs()
const mayTake = computed(() => may('openAnyCase') || person.value?.desks.includes(data.value?.exception.desk ?? ''))
const attributes = computed(() => Object.entries(data.value?.attributes ?? {}))
const stateWords: Record<string, string> = {
  raised: 'Raised: new in this period',
  standing: 'Standing: flagged in the period before too',
  cleared: 'Cleared: it was flagged, and no longer is',
}
</script>

<template>
  <QueryState v-if="!data" :loading="isPending" :error="error" @retry="refetch()" />
  <article v-else class="p-4">
    <header>
      <p class="flex flex-wrap items-center gap-x-3">
        <GradeMark :grade="data.exception.grade" :state="data.exception.state" :outcome="data.exception.outcome" />
        <span class="text-muted"
          >{{ data.label
          }}<template v-if="data.exception.event">, the event of {{ dayWords(data.exception.event) }}</template></span
        >
      </p>
      <component :is="page ? 'h1' : 'h2'" class="mt-1 text-title font-semibold">{{ data.exception.name }}</component>
      <p class="text-small text-muted">
        {{ kind(data.exception.kind) }} <span class="font-mono">{{ data.exception.key }}</span> ·
        <RouterLink
          class="underline"
          :to="{
            path: `/subjects/${encodeURIComponent(data.exception.kind)}/${encodeURIComponent(data.exception.key)}`,
            query: { period: data.exception.period },
          }"
          >all rules for this subject</RouterLink
        >
        <template v-for="[name, text] in attributes" :key="name"> · {{ name }} {{ text }}</template>
      </p>
      <p class="mt-3 text-lead">{{ data.exception.sentence }}</p>
      <p class="mt-1 text-small text-muted">{{ stateWords[data.exception.state] }}</p>
      <StaleNote :why="data.stale" />
    </header>

    <div class="mt-4 grid gap-x-8 gap-y-5" :class="page ? 'lg:grid-cols-[minmax(0,1fr)_380px]' : ''">
      <div class="space-y-5" :class="page ? '' : 'order-2'">
        <FlagDrawings :detail="data" :head="page ? 'h2' : 'h3'">
          <SelectOne
            v-if="attributes.length"
            v-model="beside"
            label="Highlight"
            all="No highlight"
            :options="attributes.map(([name, text]) => ({ value: name, text: `Highlight: ${text}` }))"
          />
        </FlagDrawings>
        <RankChart
          :rule="data.exception.rule"
          :period="data.exception.period"
          :by="data.exception.kind"
          :subject="data.exception.key"
          title="Position among all"
          :beside="beside || undefined"
        />
      </div>
      <div class="space-y-5" :class="page ? '' : 'order-1'">
        <section v-if="!data.exception.case && data.exception.state !== 'cleared' && mayTake" class="card p-3">
          <component :is="page ? 'h2' : 'h3'" class="text-small font-semibold text-muted">In no case</component>
          <button class="button mt-1" :disabled="toDesk.isPending.value" @click="toDesk.mutate([data.exception.id])">
            Take it to {{ desk(data.exception.desk) }}
          </button>
          <p v-if="toDesk.error.value" role="alert" class="text-red">{{ toDesk.error.value.message }}</p>
        </section>
        <section v-if="data.exception.case" class="card p-3">
          <component :is="page ? 'h2' : 'h3'" class="text-small font-semibold text-muted">Case</component>
          <p class="mt-1">
            <RouterLink :to="`/cases/${data.exception.case}`" class="underline"
              >Case {{ data.exception.case }}</RouterLink
            >, {{ desk(data.exception.desk) }}: {{ data.exception.case_state }}
          </p>
        </section>
        <section>
          <component :is="page ? 'h2' : 'h3'" class="text-small font-semibold text-muted">Evidence</component>
          <EvidenceRows :detail="data" />
        </section>
        <section>
          <component :is="page ? 'h2' : 'h3'" class="text-small font-semibold text-muted">
            Rule:
            <RouterLink
              class="underline"
              :to="{ path: '/rules', query: { rule: data.exception.rule, period: data.exception.period } }"
              >{{ data.exception.rule_title }}</RouterLink
            >
          </component>
          <p class="mt-1">{{ data.words }}</p>
          <p class="mt-2 text-small text-muted">
            Revision {{ data.revision }}, data version {{ data.data_version }}, sweep {{ data.sweep }}.
          </p>
        </section>
        <section v-if="data.versions.length > 1">
          <component :is="page ? 'h2' : 'h3'" class="text-small font-semibold text-muted">History by sweep</component>
          <ol class="mt-1 space-y-2">
            <li v-for="v in data.versions" :key="v.since" class="border-l-2 border-line pl-2">
              <p class="flex flex-wrap items-center gap-x-2 text-small">
                <RouterLink
                  class="underline"
                  :aria-current="v.since <= data.sweep && data.sweep <= v.until ? 'true' : undefined"
                  :to="{ path: `/exceptions/${data.exception.id}`, query: { sweep: v.until } }"
                  >{{ v.since === v.until ? `Sweep ${v.since}` : `Sweeps ${v.since} to ${v.until}` }}</RouterLink
                >
                <GradeMark :grade="v.grade" :state="v.state" :outcome="v.outcome" />
                <span v-if="v.since <= data.sweep && data.sweep <= v.until" class="text-muted">shown here</span>
              </p>
              <p class="text-small">{{ v.sentence }}</p>
            </li>
          </ol>
        </section>
      </div>
    </div>
  </article>
</template>
