<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRoute } from 'vue-router'

import { api, need } from '@/lib/api'
import { countWords } from '@/lib/format'
import { usePeriod } from '@/lib/period'
import { useRulebook } from '@/lib/rulebook'
import GradeMark from '@/parts/ui/GradeMark.vue'
import QueryState from '@/parts/ui/QueryState.vue'
import SubjectPast from '@/parts/data/SubjectPast.vue'

/** One subject: what each rule says of it in a period, flagged or not, and its figures and flags over time. */
const route = useRoute()
const { period, query: periods } = usePeriod()
const { kind } = useRulebook()
const asked = computed(() => ({
  kind: String(route.params.kind),
  key: String(route.params.key),
  period: period.value ?? '',
}))
const { data, error, isPending, refetch } = useQuery({
  queryKey: computed(() => ['verdicts', asked.value]),
  queryFn: () => need(api.GET('/api/verdicts', { params: { query: asked.value } })),
  enabled: computed(() => !!asked.value.period),
})
const nothing = computed(() => !periods.isPending.value && !period.value)
const flagged = computed(() => data.value?.verdicts.filter((v) => v.grade).length ?? 0)
const words: Record<string, string> = { breach: 'flagged', clear: 'clear', 'no data': 'no data' }
</script>

<template>
  <QueryState
    v-if="!data"
    :loading="isPending && !nothing && !periods.error.value"
    :error="error ?? periods.error.value"
    empty="Nothing has come in yet, so no rule says anything."
    @retry="refetch()"
  />
  <article v-else class="p-4">
    <h1 class="text-title font-semibold">{{ data.name }}</h1>
    <p class="text-small text-muted">
      {{ kind(data.kind) }} <span class="font-mono">{{ data.key }}</span>
      <template v-for="(text, name) in data.attributes" :key="name"> · {{ name }} {{ text }}</template>
    </p>
    <p class="mt-3 text-lead" role="status">
      {{ flagged ? `Flagged by ${countWords(flagged, 'rule')}` : 'Flagged by no rule' }} in {{ data.words }}, by the
      published rules and the data as they are now.
    </p>
    <p v-if="!data.verdicts.length" class="mt-3 text-muted">No rule judges it in this period.</p>
    <table v-else class="grid-table cards-narrow mt-3">
      <caption class="sr-only">
        What each rule says
      </caption>
      <thead>
        <tr>
          <th scope="col">Says</th>
          <th scope="col">Rule</th>
          <th scope="col">Why</th>
          <th scope="col" class="!text-right">Nearest cut</th>
          <th scope="col" class="!text-right">Away from it</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="v in data.verdicts" :key="v.rule" :class="v.grade ? '' : 'text-muted'">
          <td class="whitespace-nowrap">
            <GradeMark v-if="v.grade" :grade="v.grade" :outcome="v.outcome" />
            <template v-else>{{ words[v.outcome] ?? v.outcome }}</template>
          </td>
          <td>
            <RouterLink :to="{ path: '/rules', query: { rule: v.rule, period } }">{{ v.title }}</RouterLink>
            <span v-if="v.period !== data.words" class="block text-small text-muted">{{ v.period }}</span>
          </td>
          <td>{{ v.sentence }}</td>
          <td class="figures text-right whitespace-nowrap">{{ v.cut }}</td>
          <td class="figures text-right whitespace-nowrap">{{ v.away }}</td>
        </tr>
      </tbody>
    </table>
    <ul v-if="data.silent.length" class="mt-3 text-small text-muted">
      <li v-for="n in data.silent" :key="n.name">{{ n.title }}</li>
    </ul>
    <p v-if="data.elsewhere" class="mt-2 text-small text-muted">
      {{ countWords(data.elsewhere, 'rule') }} {{ data.elsewhere === 1 ? 'judges' : 'judge' }} other kinds.
    </p>
    <SubjectPast v-if="period" :kind="data.kind" :subject="data.key" :period="period" />
  </article>
</template>
