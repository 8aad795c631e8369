<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { api, need } from '@/lib/api'
import { addressOf } from '@/lib/kept'
import QueryState from '@/parts/ui/QueryState.vue'

/** The link of a kept table: it leads to the table, in the period that the link names or the newest. */
const route = useRoute()
const router = useRouter()
const id = computed(() => Number(route.params.id))
const { data, error, isPending, refetch } = useQuery({
  queryKey: computed(() => ['views', 'tables', id.value]),
  queryFn: () => need(api.GET('/api/views/{id}', { params: { path: { id: id.value }, query: { of: 'tables' } } })),
})
watch(
  data,
  (v) => {
    if (!v?.table) return
    const period = typeof route.query.period === 'string' ? { period: route.query.period } : {}
    void router.replace({ path: '/figures', query: { ...addressOf(v.table), ...period, kept: String(v.id) } })
  },
  { immediate: true },
)
</script>

<template>
  <QueryState :loading="isPending" :error="error" @retry="refetch()" />
</template>
