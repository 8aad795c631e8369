<script setup lang="ts">
import { useMutation, useQueryClient } from '@tanstack/vue-query'
import { computed, watch } from 'vue'

import { tell, told, useActs, type ActName } from '@/lib/acts'
import { api, need, type Schemas } from '@/lib/api'
import { countWords, dayWords, numberWords } from '@/lib/format'
import { useChoices } from '@/lib/choices'
import { useChosen } from '@/lib/chosen'
import { useDesk } from '@/lib/desk'
import { useLive } from '@/lib/live'
import { useSelected } from '@/lib/query'
import { stepRow } from '@/lib/rows'
import { useSession } from '@/lib/session'
import { triageKeys, useTriage } from '@/lib/triage'
import { useCaseFocus } from '@/parts/cases/focus'
import CaseView from '@/parts/cases/CaseView.vue'
import DeskTabs from '@/parts/cases/DeskTabs.vue'
import GradeMark from '@/parts/ui/GradeMark.vue'
import SelectOne from '@/parts/ui/SelectOne.vue'
import SmallHistory from '@/parts/exceptions/SmallHistory.vue'
import SideSheet from '@/parts/ui/SideSheet.vue'
import QueryState from '@/parts/ui/QueryState.vue'
import BulkActionBar from '@/parts/cases/BulkActionBar.vue'
import ViewsSelect from '@/parts/exceptions/ViewsSelect.vue'
import { refresh } from '@/lib/queries'
import { usePeople } from '@/lib/people'

const { person, may } = useSession()
const queries = useQueryClient()
const choices = useChoices()
const { selected, open } = useSelected('id')
const {
  desk: deskName,
  state,
  whose,
  grade,
  rule,
  kind,
  group,
  typed,
  query,
  list,
  page,
  cases,
  title,
  histories,
  narrowed,
  show,
  heads,
} = useDesk()
const { error, isPending, refetch, hasNextPage, fetchNextPage, isFetchingNextPage } = list
const { query: people, nameOf } = usePeople()
const others = computed(() =>
  (people.data.value ?? []).filter((p) => !p.closed && p.role !== 'analyst' && p.name !== person.value?.name),
)
const mayAct = computed(
  () => may('workOnAnyDesk') || (may('review') && (!deskName.value || person.value?.desks.includes(deskName.value))),
)
const settleCleared = useMutation({
  mutationFn: () => need(api.POST('/api/cases/cleared', { body: deskName.value ? { desk: deskName.value } : {} })),
  onSuccess: (done) => {
    tell(
      'settle',
      done.cases.map((id) => ({ id, name: cases.value.find((c) => c.id === id)?.name })),
      ' as cleared',
    )
    return refresh(queries, 'cases')
  },
})
const stateText = (c: Schemas['Case']) => {
  switch (c.state) {
    case 'taken':
      return c.taken_by === person.value?.name ? 'yours' : `taken by ${nameOf(c.taken_by)}`
    case 'parked':
      return c.parked_to ? `parked until ${dayWords(c.parked_to)}` : `parked for ${c.parked_for}`
    case 'settled':
      return c.finding
  }
  return 'open'
}

// Several are chosen to do the same to them; else it is done to the one in focus.
const { chosen, choose, chooseNone } = useChosen([query])
watch(told, (t) => t && chooseNone())
const { start, undo, act: acts } = useActs()
const picked = computed(() => cases.value.filter((c) => chosen.value.has(c.id)))
const { focused, focusOn, step, gone } = useCaseFocus(cases, query, selected)
function act(what: ActName) {
  const of = picked.value.length ? picked.value : focused.value ? [focused.value] : []
  start(
    what,
    of.map(({ id, name, version, desk, cleared }) => ({ id, name, version, desk, cleared })),
  )
}
useLive(['case_events', 'sweeps'], 'casesOfOthers')
const { help } = useTriage({
  step: (by) => void step(by),
  open: () => focused.value && open(focused.value.id),
  choose: () => focused.value && choose(focused.value.id),
  act,
  undo: () => told.value?.cases.length && undo.mutate(told.value.cases),
})
</script>

<template>
  <div class="flex min-h-0 flex-1">
    <section class="min-w-0 flex-1">
      <DeskTabs />
      <div class="flex flex-wrap items-center gap-x-4 gap-y-2 px-4 pt-4 pb-2">
        <h1 class="text-title font-semibold">{{ title }}</h1>
        <p v-if="page" class="text-muted" role="status">
          {{ countWords(page.total, 'case')
          }}<span v-if="page.late" class="ml-2 font-semibold text-red"
            >{{ page.late.toLocaleString('en-GB') }} late</span
          >
        </p>
        <div class="ml-auto flex flex-wrap gap-2 max-sm:ml-0">
          <button
            v-if="page?.cleared && mayAct"
            class="button"
            :disabled="settleCleared.isPending.value"
            @click="settleCleared.mutate()"
          >
            Settle {{ countWords(page.cleared, 'cleared case') }}
          </button>
          <button class="button" aria-keyshortcuts="?" :aria-expanded="help" @click="help = !help">Keys</button>
        </div>
      </div>
      <div class="flex flex-wrap items-center gap-2 px-4 pb-2" role="search" aria-label="Filters">
        <input
          v-model="typed"
          type="search"
          class="field w-44"
          placeholder="Key or name"
          aria-label="Subjects whose key or name contains"
          @keydown.stop
        />
        <SelectOne
          v-model="whose"
          label="Whose"
          all="All owners"
          :options="[
            { value: 'held', text: 'Taken by me' },
            { value: 'asked', text: 'Asked of me' },
            { value: 'told', text: 'Copied to me' },
            ...others.map((p) => ({ value: `:${p.name}`, text: `Taken by ${p.display_name}` })),
          ]"
        />
        <SelectOne
          v-model="state"
          label="State"
          all="Unsettled"
          :options="[
            { value: 'late', text: 'Late' },
            { value: 'open', text: 'Open' },
            { value: 'taken', text: 'Taken' },
            { value: 'parked', text: 'Parked' },
            { value: 'settled', text: 'Settled' },
          ]"
        />
        <SelectOne
          v-model="deskName"
          label="Desk"
          :all="person?.desks.length ? 'My desks' : 'All desks'"
          :options="choices.desks.value"
        />
        <SelectOne v-model="grade" label="Grade" all="All grades" :options="choices.grades.value" />
        <SelectOne v-model="rule" label="Rule" all="All rules" :options="choices.rules.value" />
        <SelectOne v-model="kind" label="Kind" all="All kinds" :options="choices.kinds.value" />
        <SelectOne
          v-model="group"
          label="Group by"
          all="Not grouped"
          :options="[
            { value: 'desk', text: 'By desk' },
            { value: 'person', text: 'By person' },
            { value: 'grade', text: 'By grade' },
            { value: 'kind', text: 'By kind' },
            { value: 'state', text: 'By state' },
          ]"
        />
        <ViewsSelect of="cases" :query="query" @show="(q) => show(q)" />
        <button v-if="narrowed" class="button" @click="show({ desk: deskName || undefined })">Show all</button>
      </div>
      <p v-if="settleCleared.error.value" role="alert" class="px-4 text-red">{{ settleCleared.error.value.message }}</p>
      <dl
        v-if="help"
        class="card mx-4 mb-2 grid gap-x-6 gap-y-1 p-3 text-small sm:grid-cols-3 lg:grid-cols-4"
        aria-label="Keyboard shortcuts"
      >
        <div v-for="k in triageKeys" :key="k.key" class="flex gap-2">
          <dt class="w-5 rounded border border-line text-center font-mono">{{ k.key }}</dt>
          <dd>{{ k.words }}</dd>
        </div>
        <div class="flex gap-2">
          <dt class="w-12 rounded border border-line text-center font-mono">1 – 4</dt>
          <dd>the finding, where one settles</dd>
        </div>
      </dl>
      <BulkActionBar :cases="picked" @none="chooseNone()" />
      <p v-if="acts.error.value && !picked.length" role="alert" class="px-4 text-red">{{ acts.error.value.message }}</p>
      <p v-if="gone" role="status" class="px-4 pb-2 text-muted">{{ gone }}</p>
      <QueryState v-if="!page" :loading="isPending" :error="error" @retry="refetch()" />
      <QueryState
        v-else-if="!cases.length"
        :empty="
          narrowed && state !== 'settled'
            ? 'No cases match these filters.'
            : state === 'settled'
              ? 'No settled cases yet.'
              : 'No open cases. New ones appear here after the next sweep.'
        "
      />
      <ul v-else class="border-t border-line">
        <template v-for="(c, i) in cases" :key="c.id">
          <li v-if="heads[i]" class="border-b border-line bg-sunk px-4 py-1 font-semibold">
            {{ heads[i]!.title }}
            <span class="ml-2 text-small font-normal text-muted">{{ countWords(heads[i]!.cases, 'case') }}</span><span
              v-if="heads[i]!.late"
              class="ml-2 text-small text-red"
              >{{ heads[i]!.late }} late</span
            >
          </li>
          <li class="flex border-b border-line" :class="c.state === 'parked' ? 'text-muted' : ''">
            <label v-if="mayAct" class="flex items-center pl-4 max-sm:pl-2">
              <input
                type="checkbox"
                class="m-1 size-4"
                :checked="chosen.has(c.id)"
                :aria-label="`Select ${c.name}`"
                @change="choose(c.id)"
              />
            </label>
            <button
              :data-row="c.id"
              class="grid min-h-10 w-full min-w-0 !-outline-offset-2 items-center gap-x-4 px-4 py-1.5 text-left hover:bg-tide-soft max-sm:gap-y-0.5"
              :class="[
                selected === String(c.id) ? 'bg-tide-soft' : '',
                selected
                  ? 'sm:grid-cols-[92px_minmax(0,1fr)_250px]'
                  : 'sm:grid-cols-[92px_minmax(0,1fr)_250px] xl:grid-cols-[92px_minmax(0,1fr)_116px_250px]',
              ]"
              :aria-expanded="selected === String(c.id)"
              @focus="focusOn(c.id, i)"
              @click="open(c.id)"
              @keydown.down.prevent="stepRow($event, 1)"
              @keydown.up.prevent="stepRow($event, -1)"
            >
              <GradeMark :grade="c.grade" :state="c.cleared ? 'cleared' : undefined" />
              <span class="min-w-0">
                <span class="font-semibold">{{ c.name }}</span>
                <span class="ml-1.5 font-mono text-small text-muted">{{ c.key }}</span>
                <span class="block">{{ c.sentence }}</span>
                <span v-if="c.items > 1" class="block text-small text-muted"
                  >and {{ countWords(c.items - 1, 'item') }} more</span
                >
              </span>
              <span v-if="!selected" class="max-xl:hidden"
                ><SmallHistory v-if="histories.get(c.id)" :of="histories.get(c.id)!"
              /></span>
              <span class="figures flex gap-3 text-small whitespace-nowrap text-muted sm:justify-between">
                <span>{{ stateText(c) }}</span>
                <span class="sm:text-right">
                  <span :class="c.late ? 'font-semibold text-red' : ''"
                    >{{ c.late ? 'late, was due ' : 'due ' }}{{ dayWords(c.due) }}</span
                  >
                  <span v-if="Number(c.stake)" class="block">at stake {{ numberWords(Number(c.stake), 'money') }}</span>
                </span>
              </span>
            </button>
          </li>
        </template>
      </ul>
      <button v-if="hasNextPage" class="button m-4" :disabled="isFetchingNextPage" @click="fetchNextPage()">
        More cases
      </button>
    </section>
    <SideSheet v-if="selected" class="lg:!top-0 lg:!h-screen" label="Case" @close="selected = ''">
      <template #actions>
        <RouterLink :to="`/cases/${selected}`" class="text-small">Open full page</RouterLink>
      </template>
      <CaseView :id="Number(selected)" />
    </SideSheet>
  </div>
</template>
