<script setup lang="ts">
import { ArrowDownIcon, ArrowDownTrayIcon, ArrowUpIcon } from '@heroicons/vue/20/solid'
import { keepPreviousData, useInfiniteQuery } from '@tanstack/vue-query'
import { computed, watch } from 'vue'
import { useRoute } from 'vue-router'

import { api, need } from '@/lib/api'
import { countWords } from '@/lib/format'
import { usePeriod } from '@/lib/period'
import { useQueryChange, useQueryWord, useSelected } from '@/lib/query'
import { stepRow } from '@/lib/rows'
import { useRulebook } from '@/lib/rulebook'
import ExceptionView from '@/parts/ExceptionView.vue'
import GradeMark from '@/parts/GradeMark.vue'
import PickOne from '@/parts/PickOne.vue'
import ShapeMark from '@/parts/ShapeMark.vue'
import SideSheet from '@/parts/SideSheet.vue'
import StaleNote from '@/parts/StaleNote.vue'
import { useTyped } from '@/lib/typed'
import StateNote from '@/parts/StateNote.vue'
import { useRules } from '@/lib/rules'

const route = useRoute()
const change = useQueryChange()
const { period, label } = usePeriod()
const { book, grades, desk } = useRulebook()
const { data: rules } = useRules()

const rule = useQueryWord('rule')
const grade = useQueryWord('grade')
const state = useQueryWord('state')
const kind = useQueryWord('kind')
const deskName = useQueryWord('desk')
const text = useQueryWord('text')
const sweep = useQueryWord('sweep')
const { selected, open } = useSelected('id')

// Typing filters once the hand rests.
const typed = useTyped(text)
watch(text, (v) => {
  if (v !== typed.value.trim()) typed.value = v
})

type Sort = 'grade' | 'subject' | 'rule' | 'state' | 'stake' | 'desk'
const sort = computed(() => (route.query.sort as Sort) || 'grade')
const descending = computed(() => route.query.descending === 'yes')
function sortBy(column: Sort) {
  const turn = column === sort.value ? !descending.value : column === 'stake'
  void change({ sort: column, descending: turn ? 'yes' : undefined })
}

const filter = computed(() => ({
  period: period.value!,
  rule: rule.value || undefined,
  grade: grade.value || undefined,
  state: (state.value || 'flagged') as 'raised' | 'standing' | 'cleared' | 'flagged',
  kind: kind.value || undefined,
  desk: deskName.value || undefined,
  text: text.value || undefined,
  sweep: Number(sweep.value) || undefined,
  sort: sort.value,
  descending: descending.value,
}))
const { data, error, isPending, refetch, hasNextPage, fetchNextPage, isFetchingNextPage } = useInfiniteQuery({
  queryKey: computed(() => ['exceptions', filter.value]),
  queryFn: ({ pageParam }) =>
    need(
      api.GET('/api/exceptions', {
        params: { query: { ...filter.value, limit: 100, cursor: pageParam || undefined } },
      }),
    ),
  initialPageParam: '',
  getNextPageParam: (page) => page.next,
  enabled: computed(() => !!period.value),
  placeholderData: keepPreviousData,
})
const items = computed(() => data.value?.pages.flatMap((p) => p.items) ?? [])
const total = computed(() => data.value?.pages[0]?.total ?? 0)
const narrowed = computed(
  () => !!(rule.value || grade.value || state.value || kind.value || deskName.value || text.value),
)
const showAll = () => {
  typed.value = ''
  void change({
    ...Object.fromEntries(Object.keys(route.query).map((k) => [k, undefined])),
    period: route.query.period,
  })
}

const download = computed(() => {
  const query = new URLSearchParams()
  for (const [k, v] of Object.entries(filter.value)) if (v !== undefined && v !== false) query.set(k, String(v))
  return `/api/exceptions.csv?${query}`
})

const columns: { key: Sort; head: string; right?: boolean }[] = [
  { key: 'grade', head: 'Grade' },
  { key: 'state', head: 'State' },
  { key: 'subject', head: 'Subject' },
  { key: 'rule', head: 'What is wrong' },
  { key: 'stake', head: 'At stake', right: true },
  { key: 'desk', head: 'Desk' },
]
// Beside the sheet the list keeps what tells its rows apart.
const shown = computed(() => columns.filter((c) => !selected.value || ['grade', 'subject'].includes(c.key)))
</script>

<template>
  <div class="flex min-h-0 flex-1">
    <section class="min-w-0 flex-1">
      <div class="flex flex-wrap items-center gap-2 px-4 pt-3 pb-2">
        <h1 class="sr-only">Exceptions of {{ label }}</h1>
        <input
          v-model="typed"
          type="search"
          class="field w-48"
          placeholder="Name or key"
          aria-label="Name or key of the subject"
        />
        <PickOne
          v-model="grade"
          label="Grade"
          all="All grades"
          :options="grades.map((g) => ({ value: g.name, text: g.label }))"
        />
        <PickOne
          v-model="state"
          label="State"
          all="Flagged"
          :options="[
            { value: 'raised', text: 'Raised' },
            { value: 'standing', text: 'Standing' },
            { value: 'cleared', text: 'Cleared' },
          ]"
        />
        <PickOne
          v-model="rule"
          label="Rule"
          all="All rules"
          :options="(rules ?? []).map((r) => ({ value: r.name, text: r.title }))"
        />
        <PickOne
          v-model="kind"
          label="Kind"
          all="All kinds"
          :options="(book?.kinds ?? []).map((k) => ({ value: k.name, text: k.plural ?? k.title }))"
        />
        <PickOne
          v-model="deskName"
          label="Desk"
          all="All desks"
          :options="(book?.desks ?? []).map((d) => ({ value: d.name, text: d.title }))"
        />
        <button v-if="narrowed" class="button" @click="showAll">Show all</button>
        <a :href="download" class="button ml-auto no-underline" download>
          <ArrowDownTrayIcon class="size-4" aria-hidden="true" />Export CSV
        </a>
      </div>
      <div
        class="flex flex-wrap items-center gap-x-5 gap-y-1 px-4 pb-1 text-small text-muted"
        aria-label="Legend"
        role="group"
      >
        <span role="status">{{ countWords(total, 'exception') }}</span>
        <span v-for="g in grades" :key="g.name" class="inline-flex items-center gap-1.5"
          ><GradeMark :grade="g.name"
        /></span>
        <span class="inline-flex items-center gap-1.5"
          ><ShapeMark shape="no data" tone="grey" />No data, and the rule says that needs a look</span
        >
      </div>

      <StaleNote class="mx-4" :why="data?.pages[0]?.stale" />
      <p v-if="sweep" class="mx-4 mb-1 flex flex-wrap items-center gap-3 rounded bg-sunk px-3 py-1.5 text-small">
        As sweep {{ sweep }} left them, whatever later ones did.
        <button class="underline hover:text-tide" @click="sweep = ''">Show them as they stand</button>
      </p>
      <label v-if="items.length" class="px-4 text-small text-muted md:hidden"
        >Order
        <select
          class="field text-small"
          :value="sort"
          @change="(e) => sortBy((e.target as HTMLSelectElement).value as Sort)"
        >
          <option v-for="c in columns" :key="c.key" :value="c.key">{{ c.head }}</option>
        </select>
      </label>
      <StateNote v-if="!data" :loading="isPending" :error="error" @retry="refetch()" />
      <StateNote
        v-else-if="!items.length"
        :empty="
          narrowed
            ? 'No exception matches these filters.'
            : `Nothing is flagged in ${label}. If it was not swept yet, sweep it first.`
        "
      >
        <button v-if="narrowed" class="button" @click="showAll">Show all</button>
      </StateNote>
      <div v-else class="relative px-2 md:overflow-x-auto">
        <table class="grid-table cards-narrow">
          <caption class="sr-only">
            Exceptions of
            {{
              label
            }}; arrow keys move between rows, Enter opens one beside the list
          </caption>
          <thead>
            <tr>
              <th
                v-for="c in shown"
                :key="c.key"
                scope="col"
                :aria-sort="sort === c.key ? (descending ? 'descending' : 'ascending') : 'none'"
              >
                <button
                  class="inline-flex w-full items-center gap-1 font-semibold hover:text-tide"
                  :class="c.right ? 'justify-end' : ''"
                  @click="sortBy(c.key)"
                >
                  {{ c.head }}
                  <component
                    :is="descending ? ArrowDownIcon : ArrowUpIcon"
                    class="size-3.5"
                    :class="sort === c.key ? 'text-tide' : 'invisible'"
                    aria-hidden="true"
                  />
                </button>
              </th>
            </tr>
          </thead>
          <tbody>
            <tr
              v-for="x in items"
              :key="x.id"
              data-row
              tabindex="0"
              class="cursor-pointer hover:bg-tide-soft"
              :class="selected === String(x.id) ? 'bg-tide-soft' : ''"
              :aria-selected="selected === String(x.id)"
              @click="open(x.id)"
              @keydown.enter="open(x.id)"
              @keydown.down.prevent="stepRow($event, 1)"
              @keydown.up.prevent="stepRow($event, -1)"
            >
              <td><GradeMark :grade="x.grade" :state="x.state" :outcome="x.outcome" /></td>
              <td v-if="selected" class="py-1">
                {{ x.name }} <span class="ml-1 font-mono text-small text-muted">{{ x.key }}</span>
                <span class="block text-small text-muted">{{ x.sentence }}</span>
              </td>
              <template v-else>
                <td class="text-small text-muted">{{ x.state }}</td>
                <td class="font-medium md:whitespace-nowrap md:font-normal">
                  {{ x.name }} <span class="ml-1 font-mono text-small text-muted">{{ x.key }}</span>
                </td>
                <td class="py-1 md:min-w-72">
                  {{ x.sentence }}<span class="ml-2 text-small text-muted">{{ x.rule_title }}</span>
                </td>
                <td class="figures text-right whitespace-nowrap">{{ x.stake }}</td>
                <td class="text-small whitespace-nowrap text-muted">{{ desk(x.desk) }}</td>
              </template>
            </tr>
          </tbody>
        </table>
        <div v-if="hasNextPage" class="p-3">
          <button class="button" :disabled="isFetchingNextPage" @click="fetchNextPage()">
            Show the next 100 of {{ total.toLocaleString('en-GB') }}
          </button>
        </div>
      </div>
    </section>
    <SideSheet v-if="selected" label="Exception" @close="selected = ''">
      <template #actions>
        <RouterLink :to="{ path: `/exceptions/${selected}`, query: sweep ? { sweep } : {} }" class="text-small"
          >Open its page</RouterLink
        >
      </template>
      <ExceptionView :id="Number(selected)" :sweep="Number(sweep) || undefined" />
    </SideSheet>
  </div>
</template>
