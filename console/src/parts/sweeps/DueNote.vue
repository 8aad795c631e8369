<script setup lang="ts">
import { useQueries } from '@tanstack/vue-query'
import { computed } from 'vue'

import { api, need } from '@/lib/api'
import { usePeriod } from '@/lib/period'

/** Says which periods of the other lengths that rules have are to be swept: the strip shows one length alone. */
const { each, grains } = usePeriod()
const others = computed(() => grains.value.filter((g) => g !== each.value))
const all = useQueries({
  queries: computed(() =>
    others.value.map((g) => ({
      queryKey: ['periods', g, undefined] as const,
      queryFn: () => need(api.GET('/api/periods', { params: { query: { each: g } } })),
    })),
  ),
})
// Of each length the last one that has ended, where it is not swept, or out of date.
const due = computed(() =>
  all.value.flatMap((q, i) => {
    const p = q.data?.filter((p) => !p.running && p.state !== 'no lines').at(-1)
    return p && p.state !== 'swept' && !p.closed ? [{ each: others.value[i], ...p }] : []
  }),
)
</script>

<template>
  <p v-if="due.length" role="status" class="mb-3 text-small">
    Also to be swept:
    <template v-for="(p, i) in due" :key="p.period"
      >{{ i ? ', ' : ''
      }}<RouterLink :to="{ query: { each: p.each === 'month' ? undefined : p.each, period: p.period } }">{{
        p.label
      }}</RouterLink>
      ({{ p.state === 'stale' ? 'out of date' : 'not swept' }})</template
    >.
  </p>
</template>
