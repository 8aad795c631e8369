<script setup lang="ts">
import { keepPreviousData, useInfiniteQuery, useMutation, useQueryClient } from '@tanstack/vue-query'
import { computed } from 'vue'

import { api, need } from '@/lib/api'
import { countWords, dayWords } from '@/lib/format'
import { useQueryWord, useSelected } from '@/lib/query'
import { stepRow } from '@/lib/rows'
import { useRulebook } from '@/lib/rulebook'
import { useSession } from '@/lib/session'
import CaseView from '@/parts/CaseView.vue'
import GradeMark from '@/parts/GradeMark.vue'
import PickOne from '@/parts/PickOne.vue'
import SideSheet from '@/parts/SideSheet.vue'
import StateNote from '@/parts/StateNote.vue'

const { person } = useSession()
const queries = useQueryClient()
const { book, desk } = useRulebook()
const deskName = useQueryWord('desk')
const state = useQueryWord('state')
const { selected, open } = useSelected('id')

const mine = computed(() => !deskName.value && !!person.value?.desks.length)
const { data, error, isPending, refetch, hasNextPage, fetchNextPage, isFetchingNextPage } = useInfiniteQuery({
  queryKey: computed(() => ['cases', deskName.value, state.value, mine.value]),
  queryFn: ({ pageParam }) =>
    need(
      api.GET('/api/cases', {
        params: {
          query: {
            desk: deskName.value || undefined,
            state: (state.value || 'unsettled') as 'open' | 'taken' | 'settled' | 'unsettled',
            mine: mine.value,
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
const stateText = (c: { state: string; taken_by?: string; finding?: string }) =>
  c.state === 'taken'
    ? c.taken_by === person.value?.name
      ? 'yours'
      : `taken by ${c.taken_by}`
    : c.state === 'settled'
      ? c.finding
      : 'open'
</script>

<template>
  <div class="flex min-h-0 flex-1">
    <section class="min-w-0 flex-1">
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
          <PickOne
            v-model="state"
            label="State"
            all="Unsettled"
            :options="[
              { value: 'open', text: 'Open' },
              { value: 'taken', text: 'Taken' },
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
        <li v-for="c in cases" :key="c.id" class="border-b border-line">
          <button
            data-row
            class="grid min-h-10 w-full items-center gap-x-4 px-4 py-1.5 text-left hover:bg-tide-soft max-sm:gap-y-0.5 sm:grid-cols-[92px_minmax(0,1fr)_250px]"
            :class="selected === String(c.id) ? 'bg-tide-soft' : ''"
            :aria-expanded="selected === String(c.id)"
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
