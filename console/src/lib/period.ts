import { useQuery } from '@tanstack/vue-query'
import { computed, watch } from 'vue'
import { useRoute } from 'vue-router'

import { api, need } from './api'
import { monthWords } from './format'
import { useQueryChange } from './query'
import { useRulebook } from './rulebook'

/** The periods of the strip, of the grain that the URL names, and the one that it names: else the newest. */
export function usePeriod() {
  const route = useRoute()
  const change = useQueryChange()
  const { book } = useRulebook()
  const grains = computed(() => book.value?.grains ?? [])
  const each = computed(() =>
    typeof route.query.each === 'string'
      ? route.query.each
      : grains.value.length && !grains.value.includes('month')
        ? grains.value[0]
        : 'month',
  )
  const until = computed(() => (typeof route.query.until === 'string' ? route.query.until : undefined))
  const query = useQuery({
    queryKey: computed(() => ['periods', each.value, until.value]),
    queryFn: () => need(api.GET('/api/periods', { params: { query: { each: each.value, until: until.value } } })),
    // Those of another length would be acted on as if they were of this one.
    placeholderData: (old, query) => (query?.queryKey[1] === each.value ? old : undefined),
  })
  const periods = computed(() => query.data.value ?? [])
  const named = computed(() => (typeof route.query.period === 'string' ? route.query.period : undefined))
  const period = computed(() => named.value ?? periods.value.at(-1)?.period)
  const label = computed(
    () => periods.value.find((p) => p.period === period.value)?.label ?? monthWords(period.value ?? ''),
  )
  const state = computed(() => periods.value.find((p) => p.period === period.value)?.state)
  const closed = computed(() => !!periods.value.find((p) => p.period === period.value)?.closed)
  // A period of long ago is shown among those around it.
  watch(
    [named, query.data, query.isPlaceholderData],
    ([p, list, old]) => {
      if (p && list?.length && !old && !until.value && !list.some((x) => x.period === p) && p < list[0].period)
        void change({ until: p })
    },
    { immediate: true },
  )
  /** Those before the ones that are shown, of which the oldest stays; or the newest again. */
  const earlier = () => change({ until: periods.value[0]?.period })
  const newest = () => change({ until: undefined, period: undefined, id: undefined, sweep: undefined })
  const choose = (p: string) => change({ period: p, id: undefined, sweep: undefined })
  const chooseGrain = (grain: string) =>
    change({ each: grain === 'month' ? undefined : grain, period: undefined, until: undefined, id: undefined })
  return { until, earlier, newest, query, periods, period, label, state, closed, choose, each, grains, chooseGrain }
}
