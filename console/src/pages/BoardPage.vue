<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { useRoute } from 'vue-router'

import { api, need } from '@/lib/api'
import { useKept } from '@/lib/keptlists'
import { usePeriod } from '@/lib/period'
import { usePeople } from '@/lib/people'
import TrendTable from '@/parts/exceptions/TrendTable.vue'
import BoardTable from '@/parts/figures/BoardTable.vue'
import FigureTabs from '@/parts/figures/FigureTabs.vue'
import QueryState from '@/parts/ui/QueryState.vue'

/** Up to four kept tables and trends of one period, for a meeting. */
const route = useRoute()
const { period, label } = usePeriod()
const { nameOf } = usePeople()
const { tables } = useKept()
const id = computed(() => Number(route.params.id))
const { data, error, isPending, refetch } = useQuery({
  queryKey: computed(() => ['views', 'boards', id.value]),
  queryFn: () => need(api.GET('/api/views/{id}', { params: { path: { id: id.value }, query: { of: 'boards' } } })),
})
const parts = computed(() =>
  (data.value?.board?.parts ?? []).map((p) => ({ ...p, view: tables.data.value?.find((t) => t.id === p.table) })),
)
const page = ref<HTMLElement>()
const full = () => void page.value?.requestFullscreen()
const by = { rule: 'by rule', desk: 'by desk', kind: 'by kind', grade: 'by grade' }
const at = computed(() => (period.value ? { period: period.value } : {}))
</script>

<template>
  <section ref="page" class="flex min-w-0 flex-1 flex-col overflow-auto bg-paper">
    <FigureTabs />
    <QueryState v-if="!data" :loading="isPending" :error="error" @retry="refetch()" />
    <template v-else>
      <header class="flex flex-wrap items-baseline gap-x-3 px-4 pt-3 pb-2">
        <h1 class="text-title font-semibold">{{ data.name }}</h1>
        <span class="text-lead">{{ label }}</span>
        <span class="text-small text-muted"
          >by {{ nameOf(data.owner) }}, {{ data.shared ? 'shared' : 'not shared' }}</span
        >
        <button class="button ml-auto print:hidden" @click="full">Full screen</button>
        <p v-if="data.board?.text_above" class="w-full max-w-4xl whitespace-pre-line">{{ data.board.text_above }}</p>
      </header>
      <div class="grid items-start gap-3 px-4 pb-4" :class="parts.length > 1 ? 'xl:grid-cols-2' : ''">
        <section
          v-for="(p, i) in parts"
          :key="`${p.table ?? p.trend}|${i}`"
          class="card flex max-h-[30rem] min-h-48 min-w-0 flex-col p-2"
          :aria-label="p.view?.name ?? (p.trend ? `Flagged, ${by[p.trend]}` : 'Table')"
        >
          <template v-if="p.trend">
            <h2 class="px-2 pb-1 font-semibold">
              <RouterLink
                class="text-ink"
                :to="{ path: '/exceptions/trend', query: { ...at, ...(p.trend === 'rule' ? {} : { by: p.trend }) } }"
                >Flagged, {{ by[p.trend] }}</RouterLink
              >
            </h2>
            <TrendTable class="min-h-0 flex-1" :period="period" :by="p.trend" />
          </template>
          <template v-else-if="p.view">
            <h2 class="px-2 pb-1 font-semibold">
              <RouterLink class="text-ink" :to="{ path: `/tables/${p.view.id}`, query: at }">{{
                p.view.name
              }}</RouterLink>
            </h2>
            <BoardTable :key="JSON.stringify(p.view.table)" :view="p.view" />
          </template>
          <p v-else-if="tables.data.value" role="alert" class="p-2 text-amber">
            This kept table is gone, or is no longer shared with you.
          </p>
        </section>
      </div>
    </template>
  </section>
</template>
