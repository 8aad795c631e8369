<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'

import { api, need } from '@/lib/api'
import { countWords } from '@/lib/format'
import { usePeriod } from '@/lib/period'
import { useRules } from '@/lib/rules'
import RuleTabs from '@/parts/rules/RuleTabs.vue'
import QueryState from '@/parts/ui/QueryState.vue'

/** Which measures carry which rules: where marks stand, and what else a rule reads. */
const { label, period } = usePeriod()
const { data: rules, error, isPending, refetch } = useRules()
const measures = useQuery({ queryKey: ['measures'], queryFn: () => need(api.GET('/api/measures')) })
const reads = (measure: string, rule: string) =>
  !!measures.data.value?.find((m) => m.name === measure)?.used_by.includes(`rule ${rule}`)
// Those that no rule reads stand below in words: a column of nothing says less.
const read = computed(() =>
  (measures.data.value ?? []).filter((m) => rules.value?.some((r) => r.marks === m.name || reads(m.name, r.name))),
)
const idle = computed(() => (measures.data.value ?? []).filter((m) => !read.value.includes(m)))
const marked = (r: NonNullable<typeof rules.value>[number]) => {
  const good = Object.values(r.tally?.good ?? {}).reduce((a, b) => a + b, 0)
  return good ? `${good} good` : r.tally ? String(r.tally.flagged) : 'looks at'
}
</script>

<template>
  <div class="p-4">
    <RuleTabs />
    <h1 class="sr-only">Measures and their rules</h1>
    <QueryState v-if="!rules || !measures.data.value" :loading="isPending" :error="error" @retry="refetch()" />
    <QueryState v-else-if="!rules.length" empty="The rulebook has no rules yet: write them in your draft." />
    <template v-else>
      <p class="mt-3 text-small text-muted">
        {{ countWords(rules.length, 'rule') }} and the {{ countWords(read.length, 'measure') }} that they read. A number
        stands where the marks of a rule do, and is how many it marks in {{ label }}; a ring is what else it reads.
      </p>
      <div class="mt-2 overflow-auto" role="region" aria-label="Measures and their rules" tabindex="0">
        <table class="grid-table">
          <thead>
            <tr>
              <th scope="col" class="sticky left-0 bg-paper">Rule</th>
              <th
                v-for="m in read"
                :key="m.name"
                scope="col"
                class="!h-auto min-w-16 py-1 !text-center align-bottom !whitespace-normal"
              >
                <RouterLink class="text-muted" :to="{ path: '/figures', query: { measures: m.name, period } }">{{
                  m.title
                }}</RouterLink>
              </th>
              <th scope="col" class="!h-auto min-w-16 py-1 !text-center align-bottom !whitespace-normal">The row</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="r in rules" :key="r.name" class="hover:bg-tide-soft" :class="r.on ? '' : 'text-muted'">
              <th scope="row" class="sticky left-0 bg-paper !text-base !font-normal">
                <RouterLink :to="{ path: '/rules', query: { rule: r.name, period } }">{{ r.title }}</RouterLink>
                <span class="ml-2 text-small text-muted"
                  >{{ r.judges }}{{ r.on ? '' : r.trial ? ', on trial' : ', off' }}</span
                >
              </th>
              <td v-for="m in read" :key="m.name" class="figures text-center">
                <RouterLink
                  v-if="r.marks === m.name"
                  class="font-semibold"
                  :to="{
                    path: '/figures',
                    query: { measures: m.name, by: r.judges.split(', ')[0], period, sort: '-1' },
                  }"
                  >{{ marked(r) }}</RouterLink
                >
                <span v-else-if="reads(m.name, r.name)" class="text-muted" title="reads it">○</span>
              </td>
              <td class="figures text-center">
                <RouterLink
                  v-if="!r.marks"
                  class="font-semibold"
                  :to="{ path: '/figures', query: { by: r.judges.split(', ')[0], period, sort: '-1' } }"
                  >{{ marked(r) }}</RouterLink
                >
              </td>
            </tr>
          </tbody>
        </table>
      </div>
      <p v-if="idle.length" class="mt-3 text-small text-muted">
        Read by no rule: {{ idle.map((m) => m.title).join(', ') }}.
      </p>
    </template>
  </div>
</template>
