<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'

import { api, need } from '@/lib/api'
import { momentWords } from '@/lib/format'
import { refresh } from '@/lib/queries'
import { useSession } from '@/lib/session'

/** Says that the service's clock has leapt, where it has, and takes a lead's word that it is right. */
const { may } = useSession()
const queries = useQueryClient()
const { data } = useQuery({
  queryKey: ['clock'],
  queryFn: () => need(api.GET('/api/clock')),
  refetchInterval: 60_000,
})
const right = useMutation({
  mutationFn: () => need(api.POST('/api/clock')),
  onSuccess: () => refresh(queries, 'all'),
})
</script>

<template>
  <div v-if="data?.leapt" role="status" class="mb-4 max-w-3xl border-l-4 border-red pl-2.5">
    <p>
      The service's clock says {{ momentWords(data.now) }}, and was last seen at {{ momentWords(data.seen!) }}. Nothing
      is swept, and no reminders go out, until it is corrected.
    </p>
    <button v-if="may('confirmClock')" class="button mt-1" :disabled="right.isPending.value" @click="right.mutate()">
      The clock is right: go on
    </button>
    <p v-else class="text-small text-muted">If it is right, a lead says so.</p>
    <p v-if="right.error.value" role="alert" class="text-red">{{ right.error.value.message }}</p>
  </div>
</template>
