<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'

import { api, need } from '@/lib/api'
import EvidenceRows from '@/parts/exceptions/EvidenceRows.vue'
import FlagDrawings from '@/parts/exceptions/FlagDrawings.vue'
import QueryState from '@/parts/ui/QueryState.vue'

/** What backs up one flag of a case; asked for where it is opened. */
const props = defineProps<{ id: number; head: string }>()
const { data, error, isPending, refetch } = useQuery({
  queryKey: ['exception', props.id, 'behind'],
  queryFn: () => need(api.GET('/api/exceptions/{id}', { params: { path: { id: props.id }, query: {} } })),
})
</script>

<template>
  <QueryState v-if="!data" :loading="isPending" :error="error" @retry="refetch()" />
  <template v-else>
    <FlagDrawings :detail="data" :head="head" />
    <section>
      <component :is="head" class="text-small font-semibold text-muted">Evidence</component>
      <EvidenceRows :detail="data" />
    </section>
    <p class="text-small text-muted">{{ data.words }}</p>
  </template>
</template>
