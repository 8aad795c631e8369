<script setup lang="ts">
import { computed } from 'vue'
import { useRoute } from 'vue-router'

import { api, need, type Schemas } from '@/lib/api'
import { countWords } from '@/lib/format'
import { pageSize, usePaged } from '@/lib/paged'
import { useQueryWord } from '@/lib/query'
import { useRulebook } from '@/lib/rulebook'
import { useTyped } from '@/lib/typed'
import DataTabs from '@/parts/data/DataTabs.vue'
import KindSelect from '@/parts/data/KindSelect.vue'
import LongTable from '@/parts/figures/LongTable.vue'
import SelectOne from '@/parts/ui/SelectOne.vue'
import QueryState from '@/parts/ui/QueryState.vue'

const route = useRoute()
const { book } = useRulebook()
const kind = computed(() => String(route.params.kind ?? '') || book.value?.kinds[0]?.name || '')
const text = useQueryWord('text')
const measure = useQueryWord('measure')
const missing = useQueryWord('missing')
const last = useQueryWord('period')
const typed = useTyped(text)

const question = computed(() => ({
  measure: measure.value || undefined,
  period: last.value || undefined,
  periods: 9,
  missing: missing.value ? true : undefined,
  text: text.value || undefined,
}))
const { first, total, list } = usePaged<Schemas['TargetRow'], Schemas['TargetPage']>(
  computed(() => ['targets', kind.value, question.value]),
  (skip) =>
    need(
      api.GET('/api/targets/{kind}', {
        params: {
          path: { kind: kind.value },
          query: { ...question.value, limit: pageSize, cursor: skip ? String(skip) : undefined },
        },
      }),
    ),
  computed(() => !!kind.value),
)
const { data: page, error, isPending, refetch } = first
const lacking = computed(() => (page.value?.missing ?? []).reduce((a, b) => a + b, 0))
</script>

<template>
  <div class="p-4">
    <DataTabs />
    <div class="mt-3 flex flex-wrap items-center gap-2">
      <h1 class="sr-only">Targets</h1>
      <KindSelect path="/data/targets" :kind="kind" />
      <SelectOne
        v-if="page && page.measures.length > 1"
        v-model="measure"
        label="Measure"
        :all="page.measures[0]"
        :options="page.measures.slice(1).map((m) => ({ value: m, text: m }))"
      />
      <SelectOne
        v-model="missing"
        label="Which"
        all="All subjects"
        :options="[{ value: 'yes', text: 'Only those that lack one' }]"
      />
      <input v-model="typed" type="search" class="field w-44" placeholder="Name or key" aria-label="Name or key" />
      <span class="ml-auto text-small text-muted" role="status">
        {{ countWords(total, 'subject') }}<template v-if="page?.measure">, {{ page.title }}</template
        >;
        {{ lacking ? countWords(lacking, 'target') + ' missing' : 'none is missing' }}
      </span>
    </div>
    <QueryState
      v-if="!page"
      :loading="isPending && !!kind"
      :error="error"
      empty="No rulebook is published yet."
      @retry="refetch()"
    />
    <QueryState
      v-else-if="!page.measure"
      :empty="`There are no targets for this kind yet. Load a sheet with columns ${kind}, month and one a measure: oskel load -targets ${kind} targets.csv`"
    />
    <QueryState v-else-if="!total" :empty="missing && !text ? 'Every active subject has its targets.' : 'No match.'" />
    <LongTable v-else class="figures mt-2 max-h-[max(20rem,calc(100vh-9rem))]" label="Targets" :list="list" :around="3">
      <template #head>
        <tr>
          <th scope="col" class="sticky left-0 bg-paper">Name</th>
          <th v-for="l in page.labels" :key="l" scope="col" class="!text-right">{{ l }}</th>
        </tr>
      </template>
      <template #row="{ row: r }">
        <th scope="row" class="sticky left-0 bg-paper !text-base !font-normal !text-ink">
          {{ r.name }} <span class="ml-1 font-mono text-small text-muted">{{ r.key }}</span>
        </th>
        <td v-for="(c, i) in r.cells" :key="i" class="text-right whitespace-nowrap">
          <span
            v-if="c.state === 'missing'"
            class="rounded border border-dashed border-amber px-1 text-small text-amber"
            >missing</span
          >
          <span v-else-if="c.state === 'not active'" class="text-muted">–<span class="sr-only">not active</span></span>
          <template v-else>{{ c.text }}</template>
        </td>
      </template>
      <template #foot>
        <tr>
          <th scope="row" class="sticky left-0 border-t bg-paper !text-base !text-ink">Sum</th>
          <td v-for="(v, i) in page.sums" :key="i" class="border-t text-right font-semibold">{{ v }}</td>
        </tr>
        <tr>
          <th scope="row" class="sticky left-0 bg-paper !text-base !text-ink">Active and without one</th>
          <td
            v-for="(n, i) in page.missing"
            :key="i"
            class="text-right"
            :class="n ? 'font-semibold text-amber' : 'text-muted'"
          >
            {{ n }}
          </td>
        </tr>
      </template>
    </LongTable>
  </div>
</template>
