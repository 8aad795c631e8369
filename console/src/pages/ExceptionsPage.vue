<script setup lang="ts">
import { ArrowDownIcon, ArrowUpIcon } from '@heroicons/vue/20/solid'
import { computed } from 'vue'

import { told, useActs } from '@/lib/acts'
import type { Schemas } from '@/lib/api'
import { fileAt, type Form } from '@/lib/files'
import { countWords } from '@/lib/format'
import { usePeriod } from '@/lib/period'
import { useSelected } from '@/lib/query'
import { stepRow } from '@/lib/rows'
import { useRulebook } from '@/lib/rulebook'
import { useChoices } from '@/lib/choices'
import { useChosen } from '@/lib/chosen'
import { useExceptionFilter, type Sort } from '@/parts/exceptions/filter'
import { useExceptionList } from '@/parts/exceptions/list'
import ExceptionTabs from '@/parts/exceptions/ExceptionTabs.vue'
import ExportMenu from '@/parts/ui/ExportMenu.vue'
import ExceptionView from '@/parts/exceptions/ExceptionView.vue'
import GradeMark from '@/parts/ui/GradeMark.vue'
import MarksRow from '@/parts/exceptions/MarksRow.vue'
import SelectOne from '@/parts/ui/SelectOne.vue'
import ShapeMark from '@/parts/ui/ShapeMark.vue'
import SideSheet from '@/parts/ui/SideSheet.vue'
import StaleNote from '@/parts/exceptions/StaleNote.vue'
import BulkActionBar from '@/parts/cases/BulkActionBar.vue'
import ViewsSelect from '@/parts/exceptions/ViewsSelect.vue'
import QueryState from '@/parts/ui/QueryState.vue'
import { useSession } from '@/lib/session'

const { period, label } = usePeriod()
const { grades, desk } = useRulebook()
const choices = useChoices()
const { selected, open } = useSelected('id')

const asked = useExceptionFilter()
const { rule, grade, state, kind, desk: deskName, sweep, group, typed, sort, descending, filter, narrowed } = asked
const { list, items, first, total, counted, attributes, headAt, printing, print } = useExceptionList(asked, period)
const { data, error, isPending, hasNextPage, isFetchingNextPage } = list
const fileOf = (form: Form) => fileAt('/api/exceptions/file', { form, ...filter.value })

// Several are chosen to do the same to their cases at once, or to be taken to their desks.
const { may } = useSession()
const mayChoose = (x: Schemas['Exception']) => (x.case ? may('review') : x.state !== 'cleared' && !sweep.value)
const { chosen, choose, chooseNone } = useChosen([filter, told])
/** Of the chosen, those in no case: they are taken to their desks first. */
const loose = computed(() => items.value.filter((x) => chosen.value.has(x.id) && !x.case).map((x) => x.id))
const { toDesk } = useActs()
const chosenCases = computed(() => [
  ...new Map(
    items.value.filter((x) => chosen.value.has(x.id) && x.case).map((x) => [x.case!, { id: x.case!, desk: x.desk }]),
  ).values(),
])

const columns: { key: Sort; head: string; right?: boolean }[] = [
  { key: 'grade', head: 'Grade' },
  { key: 'streak', head: 'Last 13 periods' },
  { key: 'subject', head: 'Subject' },
  { key: 'rule', head: 'Rule and reason' },
  { key: 'stake', head: 'At stake', right: true },
  { key: 'desk', head: 'Desk' },
]
// Beside the sheet the list keeps what tells its rows apart.
const shown = computed(() =>
  columns.filter((c) =>
    selected.value ? ['grade', 'subject'].includes(c.key) : !(c.key === 'desk' && group.value === 'desk'),
  ),
)
</script>

<template>
  <div class="flex min-h-0 flex-1">
    <section class="min-w-0 flex-1">
      <ExceptionTabs />
      <div class="flex flex-wrap items-center gap-2 px-4 pt-3 pb-2 print:hidden">
        <h1 class="sr-only">Exceptions of {{ label }}</h1>
        <input
          v-model="typed"
          type="search"
          class="field w-48"
          placeholder="Name or key"
          aria-label="Name or key of the subject"
        />
        <SelectOne v-model="grade" label="Grade" all="All grades" :options="counted('grade', choices.grades.value)" />
        <SelectOne
          v-model="state"
          label="State"
          all="Flagged"
          :options="
            counted('state', [
              { value: 'raised', text: 'Raised' },
              { value: 'standing', text: 'Standing' },
              { value: 'cleared', text: 'Cleared' },
            ])
          "
        />
        <SelectOne v-model="rule" label="Rule" all="All rules" :options="counted('rule', choices.rules.value)" />
        <SelectOne v-model="kind" label="Kind" all="All kinds" :options="counted('kind', choices.kinds.value)" />
        <SelectOne v-model="deskName" label="Desk" all="All desks" :options="counted('desk', choices.desks.value)" />
        <SelectOne
          v-model="group"
          label="Group by"
          all="Not grouped"
          :options="[
            { value: 'desk', text: 'By desk' },
            { value: 'rule', text: 'By rule' },
            { value: 'subject', text: 'By subject' },
            { value: 'grade', text: 'By grade' },
            { value: 'kind', text: 'By kind' },
            ...attributes.map((a) => ({ value: a, text: `By ${a}` })),
          ]"
        />
        <ViewsSelect :query="asked.view.value" @show="asked.showView" />
        <button v-if="narrowed" class="button" @click="asked.showAll">Show all</button>
        <ExportMenu :href="fileOf" workbook="Workbook (XLSX), with legend" :busy="printing" @print="print" />
      </div>
      <p class="hidden px-4 text-title font-semibold print:block">Exceptions of {{ label }}</p>
      <div
        class="flex flex-wrap items-center gap-x-5 gap-y-1 px-4 pb-1 text-small text-muted"
        aria-label="Legend"
        role="group"
      >
        <span role="status"
          >{{ countWords(total, 'exception')
          }}<template v-if="first?.stake">, at stake {{ first.stake }}</template></span
        >
        <span v-for="g in grades" :key="g.name" class="inline-flex items-center gap-1.5"
          ><GradeMark :grade="g.name"
        /></span>
        <span class="inline-flex items-center gap-1.5"
          ><ShapeMark shape="no data" tone="grey" />No data (flagged by the rule)</span
        >
        <label v-if="items.length" class="text-small text-muted md:ml-auto print:hidden"
          >Order
          <select
            class="field text-small"
            :value="sort"
            @change="(e) => asked.sortBy((e.target as HTMLSelectElement).value as Sort)"
          >
            <option v-for="c in columns" :key="c.key" :value="c.key">{{ c.head }}</option>
            <option value="beyond">Distance from the cut</option>
          </select>
        </label>
      </div>

      <div
        v-if="loose.length"
        class="flex flex-wrap items-center gap-2 border-y border-tide bg-tide-soft px-4 py-1.5 print:hidden"
      >
        <span class="mr-2 font-semibold">{{ countWords(loose.length, 'exception') }} without a case selected</span>
        <button class="button" :disabled="toDesk.isPending.value" @click="toDesk.mutate(loose)">
          Send to their desks
        </button>
        <p v-if="toDesk.error.value" role="alert" class="w-full text-red">{{ toDesk.error.value.message }}</p>
      </div>
      <BulkActionBar
        :cases="chosenCases"
        :what="`${countWords(chosen.size - loose.length, 'exception')} in ${countWords(chosenCases.length, 'case')} selected`"
        @none="chooseNone()"
      />
      <StaleNote class="mx-4" :why="data?.pages[0]?.stale" />
      <p v-if="sweep" class="mx-4 mb-1 flex flex-wrap items-center gap-3 rounded bg-sunk px-3 py-1.5 text-small">
        As of sweep {{ sweep }}; later sweeps are ignored.
        <button class="underline hover:text-tide" @click="sweep = ''">Show the current list</button>
      </p>
      <QueryState v-if="!data" :loading="isPending" :error="error" @retry="list.refetch()" />
      <QueryState
        v-else-if="!items.length"
        :empty="
          narrowed
            ? 'No exceptions match these filters.'
            : `No exceptions in ${label}. If it was not swept yet, sweep it first.`
        "
      >
        <button v-if="narrowed" class="button" @click="asked.showAll">Show all</button>
      </QueryState>
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
                  class="inline-flex min-h-6 w-full items-center gap-1 font-semibold hover:text-tide"
                  :class="c.right ? 'justify-end' : ''"
                  @click="asked.sortBy(c.key)"
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
            <template v-for="(x, i) in items" :key="x.id">
              <tr v-if="headAt[i]" class="bg-sunk">
                <th scope="rowgroup" :colspan="shown.length" class="!text-ink">
                  {{ headAt[i].title }}
                  <span class="ml-2 font-normal text-muted"
                    >{{ countWords(headAt[i].count, 'exception')
                    }}<template v-if="headAt[i].stake">, at stake {{ headAt[i].stake }}</template></span
                  >
                </th>
              </tr>
              <tr
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
                <td class="whitespace-nowrap">
                  <input
                    v-if="mayChoose(x) && !selected"
                    type="checkbox"
                    class="m-1 mr-2.5 size-4 print:hidden"
                    :checked="chosen.has(x.id)"
                    :aria-label="`Select ${x.name}, ${x.rule_title}`"
                    @click.stop
                    @keydown.enter.stop
                    @change="choose(x.id)"
                  /><GradeMark :grade="x.grade" :state="x.state" :outcome="x.outcome" />
                </td>
                <td v-if="selected" class="py-1">
                  {{ x.name }} <span class="ml-1 font-mono text-small text-muted">{{ x.key }}</span>
                  <span class="block text-small text-muted">{{ x.sentence }}</span>
                </td>
                <template v-else>
                  <td class="text-small whitespace-nowrap text-muted">
                    <MarksRow class="mr-2" v-if="x.marks" :marks="x.marks" :periods="first?.mark_periods ?? []" />
                    <span>{{ x.back ? 'back' : x.streak && x.streak > 1 ? `${x.streak} in a row` : x.state }}</span>
                  </td>
                  <td class="font-medium md:whitespace-nowrap md:font-normal">
                    {{ x.name }} <span class="ml-1 font-mono text-small text-muted">{{ x.key }}</span>
                  </td>
                  <td class="py-1 md:min-w-72">
                    {{ x.sentence
                    }}<span class="ml-2 text-small text-muted"
                      >{{ x.rule_title
                      }}<template v-if="x.beyond && sort === 'beyond'">, {{ x.beyond }} beyond its cut</template></span
                    >
                  </td>
                  <td class="figures text-right whitespace-nowrap">{{ x.stake }}</td>
                  <td v-if="group !== 'desk'" class="text-small text-muted">{{ desk(x.desk) }}</td>
                </template>
              </tr>
            </template>
          </tbody>
        </table>
        <div v-if="hasNextPage" class="p-3 print:hidden">
          <button class="button" :disabled="isFetchingNextPage" @click="list.fetchNextPage()">
            Show the next 100 of {{ total.toLocaleString('en-GB') }}
          </button>
        </div>
      </div>
    </section>
    <SideSheet v-if="selected" label="Exception" @close="selected = ''">
      <template #actions>
        <RouterLink :to="{ path: `/exceptions/${selected}`, query: sweep ? { sweep } : {} }" class="text-small"
          >Open full page</RouterLink
        >
      </template>
      <ExceptionView :id="Number(selected)" :sweep="Number(sweep) || undefined" />
    </SideSheet>
  </div>
</template>
