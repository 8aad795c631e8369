<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'

import { api, need, type Schemas } from '@/lib/api'
import { useChoices } from '@/lib/choices'
import { countWords, momentWords } from '@/lib/format'
import { useQueryWord } from '@/lib/query'
import { useRulebook } from '@/lib/rulebook'
import { useSession } from '@/lib/session'
import DataTabs from '@/parts/data/DataTabs.vue'
import SelectOne from '@/parts/ui/SelectOne.vue'
import QueryState from '@/parts/ui/QueryState.vue'
import { refresh } from '@/lib/queries'
import { usePeople } from '@/lib/people'

const { nameOf } = usePeople()

/** Data issues that cases were settled for, for who answers for the feeds. */
const { book } = useRulebook()
const choices = useChoices()
const { person, may } = useSession()
const queries = useQueryClient()
const feed = useQueryWord('feed')
const which = useQueryWord('which')
const { data, error, isPending, refetch } = useQuery({
  queryKey: computed(() => ['faults', feed.value, which.value]),
  queryFn: () =>
    need(
      api.GET('/api/data-issues', {
        params: {
          query: { feed: feed.value || undefined, mine: which.value === 'mine', ended: which.value === 'ended' },
        },
      }),
    ),
})
const feedTitle = (name: string) => book.value?.feeds.find((f) => f.name === name)?.title ?? name
const ending = ref<number>()
const how = ref('')
const end = useMutation({
  mutationFn: (id: number) =>
    need(api.POST('/api/data-issues/{id}/end', { params: { path: { id } }, body: { text: how.value } })),
  onSuccess: () => {
    ending.value = undefined
    how.value = ''
    return refresh(queries, 'faults')
  },
})
const mayEnd = (f: Schemas['DataIssue']) =>
  !f.ended_at && (may('closeAnyIssue') || f.owners.includes(person.value?.name ?? ''))
</script>

<template>
  <section class="p-4">
    <DataTabs />
    <div class="mt-3">
      <div class="flex flex-wrap items-center gap-3">
        <h1 class="text-title font-semibold">Data issues</h1>
        <p v-if="data" role="status" class="text-muted">
          {{ countWords(data.filter((f) => !f.ended_at).length, 'open issue') }}
        </p>
        <div class="ml-auto flex flex-wrap gap-2">
          <SelectOne
            v-model="which"
            label="Which"
            all="Open"
            :options="[
              { value: 'mine', text: 'My feeds' },
              { value: 'ended', text: 'With closed ones' },
            ]"
          />
          <SelectOne v-model="feed" label="Feed" all="All feeds" :options="choices.feeds.value" />
        </div>
      </div>
      <p class="mt-1 max-w-prose text-muted">
        A case that is settled as a data fault comes here. It settles by itself when lines of its feeds have come and
        nothing in its case is flagged any more.
      </p>
      <QueryState v-if="!data" :loading="isPending" :error="error" @retry="refetch()" />
      <QueryState v-else-if="!data.length" empty="No data issues." />
      <table v-else class="grid-table cards-narrow mt-3">
        <caption class="sr-only">
          Data issues
        </caption>
        <thead>
          <tr>
            <th scope="col">Feeds</th>
            <th scope="col">Owner</th>
            <th scope="col">About</th>
            <th scope="col">What</th>
            <th scope="col">Found</th>
            <th scope="col"><span class="sr-only">Close</span></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="f in data" :key="f.id" :class="f.ended_at ? 'text-muted' : ''">
            <td>{{ f.feeds.map(feedTitle).join(', ') || 'none' }}</td>
            <td>{{ f.owners.join(', ') || 'no owner' }}</td>
            <td>
              <RouterLink :to="`/cases/${f.case}`">{{ f.name }}</RouterLink>
              <span class="ml-1.5 font-mono text-small text-muted">{{ f.key }}</span>
            </td>
            <td>
              {{ f.note || f.sentence }}
              <span v-if="f.note" class="block text-small text-muted">{{ f.sentence }}</span>
            </td>
            <td class="text-small whitespace-nowrap text-muted">{{ nameOf(f.by) }}, {{ momentWords(f.at) }}</td>
            <td>
              <span v-if="f.ended_at" class="text-small">closed: {{ f.ended_text }} ({{ nameOf(f.ended_by) }})</span>
              <form
                v-else-if="ending === f.id"
                class="flex gap-2"
                @submit.prevent="how.trim() && end.mutate(f.id)"
                @keydown.esc="ending = undefined"
              >
                <input v-model="how" class="field w-48" maxlength="1000" aria-label="How it was fixed" />
                <button class="button-main" :disabled="!how.trim() || end.isPending.value">Close issue</button>
              </form>
              <button v-else-if="mayEnd(f)" class="button" @click="ending = f.id">Close…</button>
            </td>
          </tr>
        </tbody>
      </table>
      <p v-if="end.error.value" role="alert" class="text-red">{{ end.error.value.message }}</p>
    </div>
  </section>
</template>
