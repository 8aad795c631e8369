<script setup lang="ts">
import { keepPreviousData, useInfiniteQuery } from '@tanstack/vue-query'
import { computed, useTemplateRef, watch } from 'vue'

import { api, need, type Schemas } from '@/lib/api'
import { countWords } from '@/lib/format'
import { usePeriod } from '@/lib/period'
import { useQueryWord } from '@/lib/query'
import { useRulebook } from '@/lib/rulebook'
import { useChoices } from '@/lib/choices'
import { useRules } from '@/lib/rules'
import { useTyped } from '@/lib/typed'
import { fileAt, onPaper } from '@/lib/files'
import ExceptionTabs from '@/parts/exceptions/ExceptionTabs.vue'
import ExportMenu from '@/parts/ui/ExportMenu.vue'
import GradeMark from '@/parts/ui/GradeMark.vue'
import PeriodHeads from '@/parts/exceptions/PeriodHeads.vue'
import SelectOne from '@/parts/ui/SelectOne.vue'
import ShapeMark from '@/parts/ui/ShapeMark.vue'
import QueryState from '@/parts/ui/QueryState.vue'

/** Subjects by periods, each with its most serious mark. */
const { period, label } = usePeriod()
const { grades, grade } = useRulebook()
const choices = useChoices()
const { data: rules } = useRules()
const rule = useQueryWord('rule')
const kind = useQueryWord('kind')
const desk = useQueryWord('desk')
const text = useQueryWord('text')
const typed = useTyped(text)
watch(text, (v) => {
  if (v !== typed.value.trim()) typed.value = v
})
const filter = computed(() => ({
  period: period.value!,
  rule: rule.value || undefined,
  kind: kind.value || undefined,
  desk: desk.value || undefined,
  text: text.value || undefined,
}))
const { data, error, isPending, refetch, hasNextPage, fetchNextPage, isFetchingNextPage } = useInfiniteQuery({
  queryKey: computed(() => ['exception-grid', filter.value]),
  queryFn: ({ pageParam }) =>
    need(
      api.GET('/api/exceptions/grid', {
        params: { query: { ...filter.value, limit: 100, cursor: pageParam || undefined } },
      }),
    ),
  initialPageParam: '',
  getNextPageParam: (page) => page.next,
  enabled: computed(() => !!period.value),
  placeholderData: keepPreviousData,
})
const first = computed(() => data.value?.pages[0])
const rows = computed(() => data.value?.pages.flatMap((p) => p.rows) ?? [])
// The newest periods are in sight first, where not all fit.
const across = useTemplateRef('across')
watch([across, () => first.value?.periods.length], ([box]) => box && (box.scrollLeft = box.scrollWidth), {
  flush: 'post',
})
const title = (name: string) => rules.value?.find((r) => r.name === name)?.title ?? name
const words = (c: Schemas['ExceptionGridCell'], of: string) =>
  c.flags ? `${of}: ${grade(c.grade).label}. ${c.rules.map(title).join(', ')}` : `${of}: nothing flags it`
</script>

<template>
  <section class="min-w-0 flex-1">
    <ExceptionTabs />
    <h1 class="sr-only">Flags by subject and period, up to {{ label }}</h1>
    <div class="flex flex-wrap items-center gap-2 px-4 pt-3 pb-2">
      <input v-model="typed" type="search" class="field w-40" placeholder="Name or key" aria-label="Name or key" />
      <SelectOne v-model="rule" label="Rule" all="All rules" :options="choices.rules.value" />
      <SelectOne v-model="kind" label="Kind" all="All kinds" :options="choices.kinds.value" />
      <SelectOne v-model="desk" label="Desk" all="All desks" :options="choices.desks.value" />
      <ExportMenu :href="(form) => fileAt('/api/reports/file', { report: 'grid', form, ...filter })" @print="onPaper" />
    </div>
    <p class="flex flex-wrap items-center gap-x-5 px-4 pb-1 text-small text-muted">
      <span role="status">{{ countWords(first?.total ?? 0, 'subject') }} flagged in these periods</span>
      <span v-for="g in grades" :key="g.name"><GradeMark :grade="g.name" /></span>
      <span>A number: flagged by that many rules</span>
    </p>
    <QueryState v-if="!data" :loading="isPending" :error="error" @retry="refetch()" />
    <QueryState v-else-if="!rows.length" :empty="`No subject of this kind is flagged in the periods up to ${label}.`" />
    <div
      v-else
      ref="across"
      tabindex="0"
      role="region"
      aria-label="Subjects by periods"
      class="relative mx-2 max-h-[max(18rem,calc(100vh-6rem))] overflow-auto"
    >
      <table class="grid-table">
        <caption class="sr-only">
          Subjects by periods
        </caption>
        <thead class="sticky top-0 z-10 bg-paper">
          <tr>
            <th scope="col" class="sticky left-0 z-[1] bg-paper">Subject</th>
            <PeriodHeads :periods="first!.periods" align="center" />
          </tr>
        </thead>
        <tbody>
          <tr v-for="r in rows" :key="r.kind + r.key">
            <th
              scope="row"
              class="sticky left-0 z-[1] bg-paper !border-line !text-base !font-normal !text-ink max-sm:w-36 max-sm:!whitespace-normal"
            >
              <RouterLink
                class="no-underline hover:underline"
                :to="{
                  path: `/subjects/${encodeURIComponent(r.kind)}/${encodeURIComponent(r.key)}`,
                  query: { period },
                }"
                >{{ r.name }}</RouterLink
              >
              <span class="ml-1 font-mono text-small text-muted">{{ r.key }}</span>
            </th>
            <td
              v-for="(c, i) in r.cells"
              :key="i"
              class="text-center"
              :class="first!.periods[i].swept ? '' : 'bg-sunk'"
              :title="words(c, first!.periods[i].label)"
            >
              <span class="sr-only">{{ words(c, first!.periods[i].label) }}</span>
              <span v-if="c.flags" class="inline-flex items-center gap-0.5" aria-hidden="true"
                ><ShapeMark :shape="grade(c.grade).shape" :tone="grade(c.grade).tone" /><span
                  v-if="c.flags > 1"
                  class="figures text-small"
                  >{{ c.flags }}</span
                ></span
              >
              <span v-else class="text-line" aria-hidden="true">·</span>
            </td>
          </tr>
        </tbody>
      </table>
      <button v-if="hasNextPage" class="button m-3" :disabled="isFetchingNextPage" @click="fetchNextPage()">
        Show the next 100 of {{ first!.total.toLocaleString('en-GB') }}
      </button>
    </div>
  </section>
</template>
