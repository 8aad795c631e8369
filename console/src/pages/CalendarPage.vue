<script setup lang="ts">
import { ChevronLeftIcon, ChevronRightIcon } from '@heroicons/vue/20/solid'
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'

import { api, need, type Schemas } from '@/lib/api'
import { countWords } from '@/lib/format'
import { useQueryWord } from '@/lib/query'
import DataTabs from '@/parts/data/DataTabs.vue'
import QueryState from '@/parts/ui/QueryState.vue'

const year = useQueryWord('year')
const { data, error, isPending, refetch } = useQuery({
  queryKey: computed(() => ['calendar', year.value]),
  queryFn: () => need(api.GET('/api/calendar', { params: { query: { year: year.value || undefined } } })),
  placeholderData: keepPreviousData,
})
type Day = Schemas['CalendarDay']
const first = computed(() => data.value?.days[0]?.day)
// The column of a weekday: weeks begin where the calendar's do.
const weekStart = computed(() => {
  const days = data.value?.days ?? []
  const turn = days.findIndex((d, i) => i > 0 && d.week !== days[i - 1].week)
  return turn < 0 ? 1 : new Date(days[turn].day).getUTCDay()
})
const column = (d: Day) => (new Date(d.day).getUTCDay() - weekStart.value + 7) % 7
const names = ['Su', 'Mo', 'Tu', 'We', 'Th', 'Fr', 'Sa']
const heads = computed(() => names.map((_, i) => names[(i + weekStart.value) % 7]))
const weeksOf = (period: string) => {
  const weeks: { week: string; days: (Day | undefined)[] }[] = []
  for (const d of data.value?.days ?? []) {
    if (d.period !== period) continue
    if (weeks.at(-1)?.week !== d.week) weeks.push({ week: d.week, days: Array(7).fill(undefined) })
    weeks.at(-1)!.days[column(d)] = d
  }
  return weeks
}
const windowTitle = (name: string) => data.value?.windows.find((w) => w.name === name)?.title ?? name
const what = (d: Day) => [d.holiday, ...d.windows.map(windowTitle)].filter(Boolean).join('; ')
</script>

<template>
  <div class="p-4">
    <DataTabs />
    <QueryState v-if="!data" :loading="isPending" :error="error" @retry="refetch()" />
    <template v-else>
      <div class="mt-3 flex items-center gap-2">
        <button class="button" :aria-label="`Previous year, ${data.before}`" @click="year = data.before">
          <ChevronLeftIcon class="size-4" aria-hidden="true" />
        </button>
        <h1 class="text-lead font-semibold">{{ data.year }}</h1>
        <button class="button" :aria-label="`Next year, ${data.after}`" @click="year = data.after">
          <ChevronRightIcon class="size-4" aria-hidden="true" />
        </button>
        <p class="ml-2 text-small text-muted">{{ data.words }} {{ first }} to {{ data.last }}.</p>
      </div>
      <ul class="mt-2 flex flex-wrap gap-x-5 gap-y-1 text-small text-muted" aria-label="Legend">
        <li><span class="mr-1 inline-block w-5 text-center text-ink">12</span>worked</li>
        <li><span class="mr-1 inline-block w-5 text-center text-muted">12</span>not worked</li>
        <li>
          <span class="mr-1 inline-block w-5 rounded-full border border-red text-center text-red">12</span>holiday
        </li>
        <li><span class="mr-1 inline-block w-5 border-b-2 border-tide text-center text-ink">12</span>in a window</li>
      </ul>
      <div class="mt-3 grid grid-cols-[repeat(auto-fill,minmax(15rem,1fr))] gap-x-6 gap-y-4">
        <section v-for="p in data.periods" :key="p.period" :aria-label="p.label">
          <h2 class="flex items-baseline gap-2 font-semibold">
            {{ p.label }}
            <span class="text-small font-normal text-muted"
              >{{ p.quarter }} · {{ countWords(p.working_days, 'working day') }}</span
            >
          </h2>
          <table class="mt-1 text-small">
            <thead>
              <tr class="text-muted">
                <th scope="col" class="w-10 text-left font-normal">Week</th>
                <th v-for="h in heads" :key="h" scope="col" class="w-7 text-center font-normal">{{ h }}</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="w in weeksOf(p.period)" :key="w.week">
                <th scope="row" class="text-left font-normal text-muted">{{ w.week.split('-')[1] }}</th>
                <td v-for="(d, i) in w.days" :key="i" class="p-0 text-center" :title="d ? what(d) : undefined">
                  <span
                    v-if="d"
                    class="inline-block h-5 w-6 leading-5"
                    :class="[
                      d.holiday ? 'rounded-full border border-red leading-4! text-red' : d.working ? '' : 'text-muted',
                      d.windows.length ? 'border-b-2 border-tide leading-4!' : '',
                    ]"
                    >{{ Number(d.day.slice(8)) }}<span v-if="what(d)" class="sr-only">, {{ what(d) }}</span></span
                  >
                </td>
              </tr>
            </tbody>
          </table>
        </section>
      </div>
      <section v-if="data.windows.length" class="mt-5">
        <h2 class="font-semibold">Windows</h2>
        <ul class="mt-1">
          <li v-for="w in data.windows" :key="w.name">
            <RouterLink class="text-tide underline" :to="{ path: '/figures', query: { window: w.name } }">{{
              w.title
            }}</RouterLink>
            <span class="ml-2 text-muted">{{ w.from }} to {{ w.to }}; {{ w.kind }}</span>
          </li>
        </ul>
      </section>
    </template>
  </div>
</template>
