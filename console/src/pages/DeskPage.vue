<script setup lang="ts">
import { keepPreviousData, useInfiniteQuery, useMutation, useQueryClient } from '@tanstack/vue-query'
import { computed, nextTick, ref, watch } from 'vue'

import { told, useActs, type ActName } from '@/lib/acts'
import { api, need, type Schemas } from '@/lib/api'
import { countWords, dayWords } from '@/lib/format'
import { useQueryWord, useSelected } from '@/lib/query'
import { stepRow } from '@/lib/rows'
import { useRulebook } from '@/lib/rulebook'
import { useSession } from '@/lib/session'
import { triageKeys, useTriage } from '@/lib/triage'
import CaseView from '@/parts/CaseView.vue'
import DeskTabs from '@/parts/DeskTabs.vue'
import GradeMark from '@/parts/GradeMark.vue'
import PickOne from '@/parts/PickOne.vue'
import SideSheet from '@/parts/SideSheet.vue'
import StateNote from '@/parts/StateNote.vue'
import TogetherBar from '@/parts/TogetherBar.vue'

const { person } = useSession()
const queries = useQueryClient()
const { book, desk } = useRulebook()
const deskName = useQueryWord('desk')
const state = useQueryWord('state')
const { selected, open } = useSelected('id')

const whose = useQueryWord('whose')
const mine = computed(() => !deskName.value && whose.value !== 'asked' && !!person.value?.desks.length)
const { data, error, isPending, refetch, hasNextPage, fetchNextPage, isFetchingNextPage } = useInfiniteQuery({
  queryKey: computed(() => ['cases', 'list', deskName.value, state.value, mine.value, whose.value]),
  queryFn: ({ pageParam }) =>
    need(
      api.GET('/api/cases', {
        params: {
          query: {
            desk: deskName.value || undefined,
            state: (state.value || 'unsettled') as 'open' | 'taken' | 'parked' | 'settled' | 'unsettled',
            mine: mine.value,
            held: whose.value === 'held',
            asked: whose.value === 'asked',
            cursor: pageParam || undefined,
          },
        },
      }),
    ),
  initialPageParam: '',
  getNextPageParam: (page) => page.next,
  enabled: computed(() => !!person.value),
  placeholderData: keepPreviousData,
})
const page = computed(() => data.value?.pages[0])
// A case that has moved on meanwhile may stand on two pages.
const cases = computed(() => [
  ...new Map(data.value?.pages.flatMap((p) => p.items).map((c) => [c.id, c] as const)).values(),
])
const title = computed(() => {
  if (deskName.value) return desk(deskName.value)
  return mine.value ? person.value!.desks.map(desk).join(', ') : 'All desks'
})
const mayAct = computed(
  () =>
    person.value?.role === 'lead' ||
    (person.value?.role === 'reviewer' && (!deskName.value || person.value.desks.includes(deskName.value))),
)
const settleCleared = useMutation({
  mutationFn: () => need(api.POST('/api/cases/cleared', { body: deskName.value ? { desk: deskName.value } : {} })),
  onSuccess: () =>
    Promise.all([
      queries.invalidateQueries({ queryKey: ['cases'] }),
      queries.invalidateQueries({ queryKey: ['case'] }),
    ]),
})
const stateText = (c: Schemas['Case']) => {
  switch (c.state) {
    case 'taken':
      return c.taken_by === person.value?.name ? 'yours' : `taken by ${c.taken_by}`
    case 'parked':
      return c.parked_to ? `parked until ${dayWords(c.parked_to)}` : `parked for ${c.parked_for}`
    case 'settled':
      return c.finding
  }
  return 'open'
}

// Several are chosen to do the same to them; else it is done to the one in focus.
const chosen = ref(new Set<number>())
watch([deskName, state, whose], () => (chosen.value = new Set()))
const choose = (id: number) => {
  const next = new Set(chosen.value)
  if (!next.delete(id)) next.add(id)
  chosen.value = next
}
const { start, undo, act: acts } = useActs()
const at = ref(-1) // the case that keys are for
const picked = computed(() => cases.value.filter((c) => chosen.value.has(c.id)))
function act(what: ActName) {
  const one = cases.value[at.value] ?? cases.value.find((c) => String(c.id) === selected.value)
  const of = picked.value.length ? picked.value : one ? [one] : []
  start(
    what,
    of.map(({ id, version, desk, cleared }) => ({ id, version, desk, cleared })),
  )
}
watch(told, (t) => t && (chosen.value = new Set()))
async function step(by: number) {
  at.value = Math.min(cases.value.length - 1, Math.max(0, at.value + by))
  await nextTick()
  document.querySelectorAll<HTMLElement>('[data-row]')[at.value]?.focus()
  if (selected.value && cases.value[at.value]) selected.value = String(cases.value[at.value].id)
}
const { help } = useTriage({
  step: (by) => void step(by),
  open: () => cases.value[at.value] && open(cases.value[at.value].id),
  choose: () => cases.value[at.value] && choose(cases.value[at.value].id),
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
          <PickOne
            v-if="person?.role !== 'analyst' || whose"
            v-model="whose"
            label="Whose"
            all="Anybody's"
            :options="[
              { value: 'held', text: 'Taken by me' },
              { value: 'asked', text: 'I am asked' },
            ]"
          />
          <PickOne
            v-model="state"
            label="State"
            all="Unsettled"
            :options="[
              { value: 'open', text: 'Open' },
              { value: 'taken', text: 'Taken' },
              { value: 'parked', text: 'Parked' },
              { value: 'settled', text: 'Settled' },
            ]"
          />
          <PickOne
            v-model="deskName"
            label="Desk"
            :all="person?.desks.length ? 'My desks' : 'All desks'"
            :options="(book?.desks ?? []).map((d) => ({ value: d.name, text: d.title }))"
          />
        </div>
      </div>
      <p v-if="settleCleared.error.value" role="alert" class="px-4 text-red">{{ settleCleared.error.value.message }}</p>
      <dl
        v-if="help"
        class="card mx-4 mb-2 grid gap-x-6 gap-y-1 p-3 text-small sm:grid-cols-3 lg:grid-cols-4"
        aria-label="Keys"
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
      <TogetherBar :cases="picked" @none="chosen = new Set()" />
      <p v-if="acts.error.value && !picked.length" role="alert" class="px-4 text-red">{{ acts.error.value.message }}</p>
      <StateNote v-if="!page" :loading="isPending" :error="error" @retry="refetch()" />
      <StateNote
        v-else-if="!cases.length"
        :empty="
          state === 'settled'
            ? 'Nothing has been settled here yet.'
            : 'Nothing waits here. What the next sweep flags for this desk will appear in this place.'
        "
      />
      <ul v-else class="border-t border-line">
        <li
          v-for="(c, i) in cases"
          :key="c.id"
          class="flex border-b border-line"
          :class="c.state === 'parked' ? 'text-muted' : ''"
        >
          <label v-if="mayAct" class="flex items-center pl-4 max-sm:pl-2">
            <input
              type="checkbox"
              class="m-1 size-4"
              :checked="chosen.has(c.id)"
              :aria-label="`Choose ${c.name}`"
              @change="choose(c.id)"
            />
          </label>
          <button
            data-row
            class="grid min-h-10 w-full min-w-0 !-outline-offset-2 items-center gap-x-4 px-4 py-1.5 text-left hover:bg-tide-soft max-sm:gap-y-0.5 sm:grid-cols-[92px_minmax(0,1fr)_250px]"
            :class="selected === String(c.id) ? 'bg-tide-soft' : ''"
            :aria-expanded="selected === String(c.id)"
            @focus="at = i"
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
            <span class="figures flex gap-3 text-small whitespace-nowrap text-muted sm:justify-between">
              <span>{{ stateText(c) }}</span>
              <span :class="c.late ? 'font-semibold text-red' : ''">
                {{ c.late ? 'late, was due ' : 'due ' }}{{ dayWords(c.due) }}
              </span>
            </span>
          </button>
        </li>
      </ul>
      <button v-if="hasNextPage" class="button m-4" :disabled="isFetchingNextPage" @click="fetchNextPage()">
        More cases
      </button>
    </section>
    <SideSheet v-if="selected" class="lg:!top-0 lg:!h-screen" label="Case" @close="selected = ''">
      <template #actions>
        <RouterLink :to="`/cases/${selected}`" class="text-small">Open its page</RouterLink>
      </template>
      <CaseView :id="Number(selected)" />
    </SideSheet>
  </div>
</template>
