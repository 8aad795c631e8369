<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'

import { api, need } from '@/lib/api'
import RankDrawing from '@/parts/exceptions/RankDrawing.vue'

/** The line-up of a rule in a period. */
const props = defineProps<{
  rule: string
  period: string
  by?: string
  subject?: string
  title?: string
  beside?: string
}>()
const { data, error, isPending } = useQuery({
  queryKey: computed(() => ['line-up', props.rule, props.period, props.by, props.subject, props.beside]),
  queryFn: () =>
    need(
      api.GET('/api/rules/{rule}/ranking', {
        params: {
          path: { rule: props.rule },
          query: { period: props.period, by: props.by, key: props.subject, beside: props.beside },
        },
      }),
    ),
})
</script>

<template>
  <RankDrawing :line-up="data" :error="error" :pending="isPending" :subject="subject" :title="title" />
</template>
