<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed } from 'vue'

import { api, need, type Schemas } from '@/lib/api'
import { countWords, dayWords, stakeWords } from '@/lib/format'
import { useQueryWord } from '@/lib/query'
import { fileAt, onPaper } from '@/lib/files'
import { useRulebook } from '@/lib/rulebook'
import { useSession } from '@/lib/session'
import DeskTabs from '@/parts/cases/DeskTabs.vue'
import GradeMark from '@/parts/ui/GradeMark.vue'
import SelectOne from '@/parts/ui/SelectOne.vue'
import ExportMenu from '@/parts/ui/ExportMenu.vue'
import QueryState from '@/parts/ui/QueryState.vue'
import { refresh } from '@/lib/queries'
import { usePeople } from '@/lib/people'

const { nameOf } = usePeople()

/** What waits, where and with whom; who is left in peace; who is away. */
type By = NonNullable<NonNullable<Parameters<typeof listBy>[0]>>
const listBy = (by: 'desk' | 'person' | 'rule' | 'grade' | 'period') =>
  need(api.GET('/api/reports/backlog', { params: { query: { by } } }))
const byWord = useQueryWord('by')
const by = computed(() => (byWord.value || 'desk') as By)
const work = useQuery({ queryKey: computed(() => ['cases', 'work', by.value]), queryFn: () => listBy(by.value) })
const stranded = useQuery({
  queryKey: ['cases', 'stranded'],
  queryFn: () => need(api.GET('/api/cases', { params: { query: { stranded: true } } })),
})
const snoozes = useQuery({ queryKey: ['cases', 'snoozes'], queryFn: () => need(api.GET('/api/snoozes')) })
const absences = useQuery({ queryKey: ['absences'], queryFn: () => need(api.GET('/api/absences')) })
const { may } = useSession()
const { desk } = useRulebook()
const queries = useQueryClient()
const end = useMutation({
  mutationFn: (id: number) => need(api.DELETE('/api/snoozes/{id}', { params: { path: { id } } })),
  onSuccess: () => refresh(queries, 'cases'),
})
const columns: { key: 'open' | 'taken' | 'parked' | 'late' | 'unseen' | 'cleared'; head: string }[] = [
  { key: 'open', head: 'Open' },
  { key: 'taken', head: 'Taken' },
  { key: 'parked', head: 'Parked' },
  { key: 'late', head: 'Late' },
  { key: 'unseen', head: 'Not opened yet' },
  { key: 'cleared', head: 'Cleared' },
]
/** How old cases are. */
const ages = ['Up to 1 week', '2 weeks', '4 weeks', 'Older']
const sum = (key: (typeof columns)[number]['key']) => (work.data.value ?? []).reduce((n, r) => n + r[key], 0)
const worse = (p: Schemas['Snooze']) =>
  p.worse === undefined ? '' : p.worse === 0 ? ', or until it is worse' : `, or until it is worse by ${p.worse * 100}%`
</script>

<template>
  <section>
    <DeskTabs />
    <div class="space-y-6 p-4">
      <div>
        <div class="flex flex-wrap items-center gap-3">
          <h1 class="text-title font-semibold">Backlog</h1>
          <SelectOne
            v-model="byWord"
            label="By"
            all="By desk"
            :options="[
              { value: 'person', text: 'By person' },
              { value: 'rule', text: 'By rule' },
              { value: 'grade', text: 'By grade' },
              { value: 'period', text: 'By period' },
            ]"
          />
          <ExportMenu :href="(form) => fileAt('/api/reports/file', { report: 'backlog', form, by })" @print="onPaper" />
        </div>
        <QueryState
          v-if="!work.data.value"
          :loading="work.isPending.value"
          :error="work.error.value"
          @retry="work.refetch()"
        />
        <QueryState v-else-if="!work.data.value.length" empty="Nothing waits anywhere." />
        <table v-else class="grid-table cards-narrow mt-2">
          <caption class="sr-only">
            Unsettled cases by
            {{
              by
            }}
          </caption>
          <thead>
            <tr>
              <th scope="col" class="capitalize">{{ by }}</th>
              <th v-for="c in columns" :key="c.key" scope="col" class="text-right">{{ c.head }}</th>
              <th scope="col" class="text-right">At stake</th>
              <th v-for="(a, i) in ages" :key="a" scope="col" class="text-right">
                {{ a }}<span v-if="!i" class="sr-only"> old</span>
              </th>
              <th scope="col">Oldest</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="r in work.data.value" :key="r.name">
              <th scope="row" class="!text-left !font-normal !text-ink">
                <RouterLink v-if="by === 'desk'" :to="{ path: '/desk', query: { desk: r.name } }">{{
                  r.title
                }}</RouterLink>
                <template v-else>{{ r.title }}</template>
                <span v-if="r.note" class="block text-small text-amber">{{ r.note }}</span>
              </th>
              <td
                v-for="c in columns"
                :key="c.key"
                class="figures text-right"
                :class="c.key === 'late' && r.late ? 'font-semibold text-red' : r[c.key] ? '' : 'text-muted'"
                :data-head="c.head"
              >
                {{ r[c.key] }}
              </td>
              <td class="figures text-right" data-head="At stake" v-text="stakeWords(r.stakes)"></td>
              <td
                v-for="(n, i) in r.ages"
                :key="i"
                class="figures text-right"
                :class="n ? '' : 'text-muted'"
                :data-head="ages[i]"
              >
                {{ n }}
              </td>
              <td class="text-small whitespace-nowrap text-muted" data-head="Oldest">{{ dayWords(r.oldest) }}</td>
            </tr>
          </tbody>
          <tfoot v-if="by !== 'rule' && by !== 'period'">
            <tr class="font-semibold">
              <th scope="row" class="!text-left">All</th>
              <td v-for="c in columns" :key="c.key" class="figures text-right" :data-head="c.head">{{ sum(c.key) }}</td>
              <td></td>
              <td v-for="(a, i) in ages" :key="a" class="figures text-right" :data-head="a">
                {{ (work.data.value ?? []).reduce((n, r) => n + r.ages[i], 0) }}
              </td>
              <td></td>
            </tr>
          </tfoot>
        </table>
        <p v-if="by === 'period'" class="mt-1 text-small text-muted">
          A case with flags of several periods counts for each.
        </p>
        <p v-if="by === 'rule'" class="mt-1 text-small text-muted">A case flagged by several rules counts for each.</p>
      </div>

      <div v-if="stranded.data.value?.total">
        <h2 class="text-lead font-semibold">Stuck cases</h2>
        <p class="text-muted">
          {{ countWords(stranded.data.value.total, 'case') }} on desks without members, or held by someone who is away
          for longer than they may wait.
        </p>
        <ul class="mt-1 border-t border-line">
          <li
            v-for="c in stranded.data.value.items"
            :key="c.id"
            class="flex flex-wrap items-center gap-x-4 gap-y-1 border-b border-line py-1.5"
          >
            <GradeMark :grade="c.grade" />
            <RouterLink :to="`/cases/${c.id}`">{{ c.name }}</RouterLink>
            <span class="text-muted"
              >{{ desk(c.desk) }}{{ c.taken_by ? `, ${nameOf(c.taken_by)} is away` : ', which has no members' }}</span
            >
            <span class="ml-auto text-small" :class="c.late ? 'font-semibold text-red' : 'text-muted'"
              >due {{ dayWords(c.due) }}</span
            >
          </li>
        </ul>
      </div>

      <div>
        <h2 class="text-lead font-semibold">Snoozed</h2>
        <p v-if="!snoozes.data.value?.length" class="text-muted">
          None. When you settle a case as explained you can snooze its subject: it then opens no case until the day you
          choose.
        </p>
        <ul v-else class="mt-1 border-t border-line">
          <li
            v-for="p in snoozes.data.value"
            :key="p.id"
            class="flex flex-wrap items-center gap-x-4 gap-y-1 border-b border-line py-1.5"
          >
            <span
              ><RouterLink :to="`/cases/${p.case}`">{{ p.name }}</RouterLink>
              <span class="ml-1.5 font-mono text-small text-muted">{{ p.key }}</span></span
            >
            <span>{{ p.rule_title ?? p.rule ?? 'by all rules' }}</span>
            <span class="text-muted">until {{ dayWords(p.until) }}{{ worse(p) }}; {{ nameOf(p.by) }}</span>
            <button v-if="may('review')" class="button ml-auto" @click="end.mutate(p.id)">End it</button>
          </li>
        </ul>
        <p v-if="end.error.value" role="alert" class="text-red">{{ end.error.value.message }}</p>
      </div>

      <div v-if="absences.data.value?.length">
        <h2 class="text-lead font-semibold">Away</h2>
        <ul class="mt-1">
          <li v-for="a in absences.data.value" :key="a.id">
            {{ nameOf(a.person) }}, {{ dayWords(a.first) }} to {{ dayWords(a.last)
            }}<template v-if="a.stand_in">: {{ nameOf(a.stand_in) }} stands in</template>
          </li>
        </ul>
      </div>
    </div>
  </section>
</template>
