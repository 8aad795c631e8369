<script setup lang="ts">
import { useInfiniteQuery } from '@tanstack/vue-query'
import { computed } from 'vue'

import { api, need } from '@/lib/api'
import { fileAt } from '@/lib/files'
import { momentWords } from '@/lib/format'
import { useQueryWord } from '@/lib/query'
import { usePeople } from '@/lib/people'
import PeopleTabs from '@/parts/account/PeopleTabs.vue'
import SelectOne from '@/parts/ui/SelectOne.vue'
import QueryState from '@/parts/ui/QueryState.vue'

/** What was done, by whom and from where; only added to. */
const who = useQueryWord('person')
const what = useQueryWord('operation')
const asked = computed(() => ({ person: who.value || undefined, operation: what.value || undefined }))
const { data, error, isPending, refetch, hasNextPage, fetchNextPage, isFetchingNextPage } = useInfiniteQuery({
  queryKey: computed(() => ['audit', asked.value]),
  queryFn: ({ pageParam }) =>
    need(api.GET('/api/audit', { params: { query: { ...asked.value, before: pageParam || undefined } } })),
  initialPageParam: 0,
  getNextPageParam: (page) => page.before,
})
const entries = computed(() => data.value?.pages.flatMap((p) => p.entries))
const operations = computed(() =>
  (data.value?.pages[0].operations ?? []).map((o) => ({ value: o.name, text: o.title })),
)
const { query: people } = usePeople()
const names = computed(() => (people.data.value ?? []).map((p) => ({ value: p.name, text: p.display_name })))
const file = computed(() => fileAt('/api/audit/export', asked.value))
</script>

<template>
  <section class="min-w-0 flex-1 p-4">
    <PeopleTabs class="mb-4" />
    <div class="flex flex-wrap items-center gap-3">
      <h1 class="text-title font-semibold">Audit</h1>
      <SelectOne v-model="who" label="Person" all="All people" :options="names" />
      <SelectOne v-model="what" label="Action" all="All actions" :options="operations" />
      <a class="button ml-auto" :href="file" download="audit.csv">Export</a>
    </div>
    <QueryState v-if="!entries" :loading="isPending" :error="error" @retry="refetch()" />
    <p v-else-if="!entries.length" class="mt-3 text-muted">No matching entries.</p>
    <template v-else>
      <table class="grid-table cards-narrow mt-3">
        <caption class="sr-only">
          Entries, newest first
        </caption>
        <thead>
          <tr>
            <th scope="col">When</th>
            <th scope="col">Who</th>
            <th scope="col">What</th>
            <th scope="col">About</th>
            <th scope="col">From</th>
            <th scope="col">By</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="e in entries" :key="e.id">
            <td class="whitespace-nowrap">{{ momentWords(e.at) }}</td>
            <td class="font-mono text-small">{{ e.person || 'unknown' }}</td>
            <td>
              {{ e.words }}
              <span v-if="e.outcome !== 'done'" class="block text-small text-amber">refused: {{ e.outcome }}</span>
            </td>
            <td class="max-w-sm text-small break-words">{{ e.about }}</td>
            <td class="font-mono text-small">{{ e.address }}</td>
            <td class="text-small text-muted">{{ e.way }}</td>
          </tr>
        </tbody>
      </table>
      <button v-if="hasNextPage" class="button mt-3" :disabled="isFetchingNextPage" @click="fetchNextPage()">
        Earlier
      </button>
    </template>
  </section>
</template>
