<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'

import { api, need, type Schemas } from '@/lib/api'
import { countWords, momentWords } from '@/lib/format'
import { usePeriod } from '@/lib/period'
import { useQueryWord } from '@/lib/query'
import { useRulebook } from '@/lib/rulebook'
import { useRules } from '@/lib/rules'
import { useSession } from '@/lib/session'
import { usePeople } from '@/lib/people'
import GradeMark from '@/parts/ui/GradeMark.vue'
import RankChart from '@/parts/exceptions/RankChart.vue'
import RuleBars from '@/parts/rules/RuleBars.vue'
import RuleSuggestions from '@/parts/rules/RuleSuggestions.vue'
import RuleTabs from '@/parts/rules/RuleTabs.vue'
import ShapeMark from '@/parts/ui/ShapeMark.vue'
import SideSheet from '@/parts/ui/SideSheet.vue'
import QueryState from '@/parts/ui/QueryState.vue'

const { nameOf } = usePeople()

const { period, label } = usePeriod()
const { book, grades } = useRulebook()
const { data, error, isPending, refetch } = useRules()
const { may } = useSession()
const selected = useQueryWord('rule')
const rule = computed(() => data.value?.find((r) => r.name === selected.value))
const revisions = useQuery({ queryKey: ['revisions'], queryFn: () => need(api.GET('/api/revisions')) })

const sum = (counts: Record<string, number> | undefined) => Object.values(counts ?? {}).reduce((a, b) => a + b, 0)
const verdicts = (t: Schemas['Tally']) => [
  ...grades.value
    .filter((g) => t.breach[g.name])
    .map((g) => ({ text: g.label, n: t.breach[g.name], shape: g.shape, tone: g.tone })),
  { text: 'Clear', n: t.clear, shape: '', tone: 'grey' },
  { text: 'No data', n: t.no_data, shape: 'no data', tone: 'grey' },
  ...Object.entries(t.not_judged).map(([why, n]) => ({
    text: `Not judged: ${why}`,
    n,
    shape: 'not judged',
    tone: 'grey',
  })),
]
const noneYet =
  'No rulebook is published yet. Write one, try it with: oskel check rulebook.yaml — ' +
  'and publish it with: oskel publish -note "The first rules" rulebook.yaml'
</script>

<template>
  <div class="flex min-h-0 flex-1">
    <section class="min-w-0 flex-1 p-4">
      <RuleTabs />
      <div class="mt-3 flex flex-wrap items-baseline gap-x-4">
        <h1 class="sr-only">Rules</h1>
        <p v-if="book?.revision" class="text-muted">
          Revision {{ book.revision }} of {{ book.title
          }}<template v-if="revisions.data.value?.[0]"
            >, published by {{ nameOf(revisions.data.value[0].author) }} on
            {{ momentWords(revisions.data.value[0].at) }}: {{ revisions.data.value[0].note }}</template
          >
        </p>
      </div>
      <QueryState v-if="!data" :loading="isPending" :error="error" @retry="refetch()" />
      <QueryState v-else-if="!data.length" :empty="noneYet" />
      <ul v-else class="mt-3">
        <li v-for="r in data" :key="r.name" class="border-t border-line">
          <button
            class="grid w-full grid-cols-[minmax(0,1fr)_auto] gap-x-6 px-2 py-2 text-left hover:bg-tide-soft"
            :class="selected === r.name ? 'bg-tide-soft' : ''"
            :aria-expanded="selected === r.name"
            @click="selected = selected === r.name ? '' : r.name"
          >
            <span class="min-w-0">
              <span class="font-semibold">{{ r.title }}</span>
              <span class="ml-2 text-small text-muted">{{ r.family }}</span>
              <span v-if="!r.on" class="ml-2 text-small text-muted">{{ r.trial ? 'on trial' : 'off' }}</span>
              <span class="mt-0.5 block text-muted">{{ r.words }}</span>
              <span v-for="n in r.record?.notes ?? []" :key="n" class="block text-small text-amber">{{ n }}</span>
            </span>
            <span class="figures text-right whitespace-nowrap">
              <template v-if="r.tally">
                <span class="block text-lead font-semibold" :class="r.tally.flagged ? '' : 'text-muted'">{{
                  r.tally.flagged
                }}</span>
                <span class="text-small text-muted"
                  >flagged of {{ r.tally.judged.toLocaleString('en-GB') }} judged</span
                >
              </template>
              <span v-else class="text-small text-muted">not swept</span>
            </span>
          </button>
        </li>
      </ul>
    </section>
    <SideSheet v-if="rule" label="Rule" @close="selected = ''">
      <article class="space-y-4 p-4">
        <header>
          <h2 class="text-title font-semibold">{{ rule.title }}</h2>
          <p class="font-mono text-small text-muted">{{ rule.name }}</p>
          <p class="mt-2">{{ rule.words }}</p>
          <p v-if="may('putDraft')" class="mt-2">
            <RouterLink :to="{ path: '/rules/draft', query: { period, rule: rule.name } }">Edit in my draft</RouterLink>
          </p>
        </header>
        <RankChart v-if="period" :rule="rule.name" :period="period" />
        <section v-if="rule.tally">
          <h3 class="text-small font-semibold text-muted">
            Verdicts in {{ label }} on {{ countWords(rule.tally.subjects, 'subject') }}
          </h3>
          <dl class="figures mt-1">
            <div v-for="v in verdicts(rule.tally)" :key="v.text" class="flex justify-between border-b border-line py-1">
              <dt class="inline-flex items-center gap-1.5" :class="v.shape ? '' : 'text-muted'">
                <ShapeMark v-if="v.shape" :shape="v.shape" :tone="v.tone" /><span
                  v-else
                  class="inline-block w-3.5"
                ></span
                >{{ v.text }}
              </dt>
              <dd>{{ v.n.toLocaleString('en-GB') }}</dd>
            </div>
          </dl>
          <p v-if="rule.tally.crowded" class="mt-2 text-amber">
            It flags so large a part of those judged that nothing stands out. Mark the rarer side.
          </p>
          <p v-if="sum(rule.tally.breach) || rule.tally.flagged" class="mt-3">
            <RouterLink :to="{ path: '/exceptions', query: { period, rule: rule.name } }"
              >See who is flagged</RouterLink
            >
          </p>
        </section>
        <section v-if="rule.record">
          <h3 class="text-small font-semibold text-muted">The last {{ rule.record.points.length }} periods</h3>
          <RuleBars :points="rule.record.points" :title="rule.title" />
          <p v-if="rule.record.settled" class="mt-1 text-small">
            {{ countWords(rule.record.settled, 'case') }} settled: {{ rule.record.confirmed }} confirmed,
            {{ rule.record.explained }} explained, {{ rule.record.data_fault }} data faults,
            {{ rule.record.rule_fault }} a fault of the rule.
          </p>
          <p v-for="n in rule.record.notes" :key="n" class="mt-1 text-small text-amber">{{ n }}</p>
          <RuleSuggestions
            v-if="period"
            :rule="rule.name"
            :period="period"
            :explained="rule.record.explained + rule.record.rule_fault"
          />
        </section>
        <section>
          <h3 class="text-small font-semibold text-muted">Grades</h3>
          <p class="mt-1 flex gap-4"><GradeMark v-for="g in grades" :key="g.name" :grade="g.name" /></p>
        </section>
      </article>
    </SideSheet>
  </div>
</template>
