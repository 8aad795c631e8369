<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, watch } from 'vue'

import { api, need } from '@/lib/api'
import { momentWords } from '@/lib/format'
import { useQueryWord } from '@/lib/query'
import { useSession } from '@/lib/session'
import PublishWhy from '@/parts/rules/PublishWhy.vue'
import RuleTabs from '@/parts/rules/RuleTabs.vue'
import SideSheet from '@/parts/ui/SideSheet.vue'
import QueryState from '@/parts/ui/QueryState.vue'
import { refresh } from '@/lib/queries'
import { usePeople } from '@/lib/people'

const { nameOf } = usePeople()

const queries = useQueryClient()
const { may } = useSession()
const { data, error, isPending, refetch } = useQuery({
  queryKey: ['revisions'],
  queryFn: () => need(api.GET('/api/revisions')),
})
const chosen = useQueryWord('revision')
const number = computed(() => Number(chosen.value) || 0)
const newest = computed(() => data.value?.[0]?.number ?? 0)
const revision = useQuery({
  queryKey: computed(() => ['revision', number.value]),
  queryFn: () => need(api.GET('/api/revisions/{number}', { params: { path: { number: number.value } } })),
  enabled: computed(() => number.value > 0),
})
const comparison = useQuery({
  queryKey: computed(() => ['compare', number.value, newest.value]),
  queryFn: () => need(api.POST('/api/rulebook/compare', { body: { with: number.value } })),
  enabled: computed(() => number.value > 0 && number.value < newest.value),
})
const restore = useMutation({
  mutationFn: (note: string) =>
    need(
      api.POST('/api/revisions/{number}/restoration', {
        params: { path: { number: number.value } },
        body: { note, based_on: newest.value },
      }),
    ),
  onSuccess: async () => {
    chosen.value = ''
    await refresh(queries, 'all')
  },
})
watch(number, () => restore.reset())
</script>

<template>
  <div class="flex min-h-0 flex-1">
    <section class="min-w-0 flex-1 p-4">
      <RuleTabs />
      <h1 class="sr-only">Revisions</h1>
      <QueryState v-if="!data" :loading="isPending" :error="error" @retry="refetch()" />
      <QueryState v-else-if="!data.length" empty="No rulebook is published yet." />
      <ol v-else class="mt-3">
        <li v-for="r in data" :key="r.number" class="border-t border-line">
          <button
            class="grid w-full grid-cols-[3rem_minmax(0,1fr)] gap-x-3 px-2 py-2 text-left hover:bg-tide-soft"
            :class="number === r.number ? 'bg-tide-soft' : ''"
            :aria-expanded="number === r.number"
            @click="chosen = number === r.number ? '' : String(r.number)"
          >
            <span class="figures text-lead font-semibold">{{ r.number }}</span>
            <span class="min-w-0">
              <span class="font-semibold">{{ r.note }}</span>
              <span class="ml-2 text-small text-muted">{{ nameOf(r.author) }}, {{ momentWords(r.at) }}</span>
              <span v-for="d in r.differences.slice(0, 6)" :key="d" class="block text-small text-muted">{{ d }}</span>
              <span v-if="r.differences.length > 6" class="block text-small text-muted"
                >and {{ r.differences.length - 6 }} more</span
              >
            </span>
          </button>
        </li>
      </ol>
    </section>
    <SideSheet v-if="number" class="lg:!top-0 lg:!h-screen" :label="`Revision ${number}`" @close="chosen = ''">
      <article class="space-y-4 p-4">
        <QueryState v-if="!revision.data.value" :loading="revision.isPending.value" :error="revision.error.value" />
        <template v-else>
          <section v-if="number < newest">
            <h2 class="font-semibold">What has changed since</h2>
            <p v-for="w in comparison.data.value?.words ?? []" :key="w" class="text-small">{{ w }}</p>
            <details v-if="comparison.data.value?.text" class="mt-1">
              <summary class="cursor-pointer text-small text-muted">Line by line</summary>
              <pre class="mt-1 max-h-72 overflow-auto rounded bg-sunk p-2 text-small" tabindex="0">{{
                comparison.data.value.text
              }}</pre>
            </details>
            <PublishWhy
              v-if="may('restoreRevision')"
              class="mt-3"
              :button="`Restore revision ${number}`"
              :pending="restore.isPending.value"
              :error="restore.error.value"
              @publish="(note) => restore.mutate(note)"
            />
          </section>
          <p v-else class="text-muted">This is the published revision.</p>
          <section>
            <h2 class="font-semibold">Its text</h2>
            <pre class="mt-1 overflow-auto rounded bg-sunk p-2 text-small" tabindex="0">{{
              revision.data.value.text
            }}</pre>
          </section>
        </template>
      </article>
    </SideSheet>
  </div>
</template>
