<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'

import { api, need } from '@/lib/api'
import { countWords } from '@/lib/format'
import QueryState from '@/parts/ui/QueryState.vue'

/** What each desk and person would get of a period by a draft, beside what they hold now. */
const props = defineProps<{ text: string; period: string }>()
const { data, error, isPending, refetch } = useQuery({
  queryKey: computed(() => ['rehearse-routing', props.text, props.period]),
  queryFn: () => need(api.POST('/api/rehearsals/routing', { body: { text: props.text, period: props.period } })),
  placeholderData: keepPreviousData,
  retry: false,
})
</script>

<template>
  <QueryState v-if="!data" :loading="isPending" :error="error" @retry="refetch()" />
  <div v-else>
    <p v-if="error" role="alert" class="text-red">{{ error.message }}</p>
    <p class="text-small text-muted">
      Of {{ countWords(data.flagged, 'flag') }} in the period, as if a sweep found them today; cases that are open are
      not joined.<template v-if="data.listed"> {{ data.listed }} are listed only.</template>
    </p>
    <table class="grid-table mt-1 w-full">
      <caption class="sr-only">
        Cases per desk
      </caption>
      <thead>
        <tr>
          <th scope="col">Desk</th>
          <th scope="col" class="!text-right">Cases</th>
          <th scope="col" class="!text-right">Unassigned</th>
          <th scope="col" class="!text-right">Open now</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="d in data.desks" :key="d.desk">
          <th scope="row" class="!text-left !font-normal !text-ink">{{ d.title }}</th>
          <td class="figures text-right">{{ d.cases }}</td>
          <td class="figures text-right text-muted">{{ d.unassigned }}</td>
          <td class="figures text-right">{{ d.holds }}</td>
        </tr>
      </tbody>
    </table>
    <table v-if="data.people.length" class="grid-table mt-3 w-full">
      <caption class="sr-only">
        Cases per person
      </caption>
      <thead>
        <tr>
          <th scope="col">By name</th>
          <th scope="col" class="!text-right">Cases</th>
          <th scope="col" class="!text-right">Open now</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="p in data.people" :key="p.name">
          <th scope="row" class="!text-left !font-normal !text-ink">
            {{ p.title }}<span v-if="p.away" class="text-small text-muted">, away</span>
          </th>
          <td class="figures text-right">{{ p.cases }}</td>
          <td class="figures text-right">{{ p.holds }}</td>
        </tr>
      </tbody>
    </table>
    <ul v-if="data.notes.length" class="mt-2 text-small text-amber">
      <li v-for="n in data.notes" :key="n.text">{{ countWords(n.cases, 'case') }}: {{ n.text }}</li>
    </ul>
  </div>
</template>
