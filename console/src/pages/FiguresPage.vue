<script setup lang="ts">
import { ArrowDownIcon, ArrowDownTrayIcon, ArrowUpIcon } from '@heroicons/vue/20/solid'
import { keepPreviousData, useInfiniteQuery, useQuery } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { api, need, type Schemas } from '@/lib/api'
import { countWords } from '@/lib/format'
import { usePeriod } from '@/lib/period'
import { useQueryWord } from '@/lib/query'
import { useRulebook } from '@/lib/rulebook'
import PartsView from '@/parts/PartsView.vue'
import PickOne from '@/parts/PickOne.vue'
import PickSome from '@/parts/PickSome.vue'
import SideSheet from '@/parts/SideSheet.vue'
import StateNote from '@/parts/StateNote.vue'

const route = useRoute()
const router = useRouter()
const { period, label } = usePeriod()
const { book } = useRulebook()
const measures = useQuery({ queryKey: ['measures'], queryFn: () => need(api.GET('/api/measures')) })

const by = useQueryWord('by')
const over = useQueryWord('over') // '' one period with several measures; 'months' one measure over periods
const chosen = useQueryWord('measures')
const formula = useQueryWord('formula') // one that is tried, beside or instead of the measures
const text = useQueryWord('text')
const shade = useQueryWord('shade') // '' none, 'bars' or 'places'
const cell = useQueryWord('cell') // measure|key|period

const kind = computed(() => by.value.split('.')[0] || book.value?.kinds[0]?.name || '')
const level = computed(() => by.value || kind.value)
const levels = computed(() => [
  ...(book.value?.kinds ?? []).flatMap((k) => [
    { value: k.name, text: k.plural ?? k.title },
    ...k.attributes.map((a) => ({ value: `${k.name}.${a}`, text: `${k.plural ?? k.title} by ${a}` })),
  ]),
  { value: 'whole', text: 'The whole' },
])
const askable = computed(() =>
  (measures.data.value ?? []).filter((m) => level.value === 'whole' || m.kinds.includes(kind.value)),
)
const picked = computed<string[]>({
  get: () => {
    const names = chosen.value.split(',').filter((n) => askable.value.some((m) => m.name === n))
    return names.length ? names : askable.value.slice(0, 1).map((m) => m.name)
  },
  set: (names) => (chosen.value = names.join(',')),
})
const asked = computed(() => {
  if (over.value === 'months') return [formula.value || picked.value[0]].filter(Boolean)
  return formula.value ? [...picked.value, formula.value] : picked.value
})
const written = ref(formula.value)
watch(formula, (v) => (written.value = v))

const typed = ref(text.value)
let rest: ReturnType<typeof setTimeout> | undefined
watch(typed, (v) => {
  clearTimeout(rest)
  rest = setTimeout(() => (text.value = v.trim()), 250)
})

const sort = computed(() => Number(route.query.sort ?? 1))
const descending = computed(() => route.query.up !== 'yes')
function sortBy(column: number) {
  const turn = column === sort.value ? descending.value : column === 0
  router.replace({ query: { ...route.query, sort: String(column), up: turn ? 'yes' : undefined } })
}

const question = computed(() => ({
  measures: asked.value.join(','),
  by: level.value,
  period: period.value!,
  periods: over.value === 'months' ? 13 : 1,
  text: text.value || undefined,
  sort: Math.min(sort.value, asked.value.length * (over.value === 'months' ? 13 : 1)),
  descending: descending.value,
}))
const { data, error, isPending, refetch, hasNextPage, fetchNextPage, isFetchingNextPage } = useInfiniteQuery({
  queryKey: computed(() => ['table', question.value]),
  queryFn: ({ pageParam }) =>
    need(
      api.GET('/api/table', { params: { query: { ...question.value, limit: 100, cursor: pageParam || undefined } } }),
    ),
  initialPageParam: '',
  getNextPageParam: (page) => page.next,
  enabled: computed(() => !!period.value && !!level.value && asked.value.length > 0),
  placeholderData: keepPreviousData,
})
const table = computed(() => data.value?.pages[0])
const rows = computed(() => data.value?.pages.flatMap((p) => p.rows) ?? [])
const download = computed(() => {
  const query = new URLSearchParams()
  for (const [k, v] of Object.entries(question.value)) if (v !== undefined) query.set(k, String(v))
  return `/api/table.csv?${query}`
})
const head = (c: Schemas['TableColumn']) => (over.value === 'months' ? c.label : c.title)

// Bars are as long as the figure is large: in its column, or among all where
// the columns are one measure.
const most = computed(() => {
  const of = (i: number) => Math.max(1e-9, ...rows.value.map((r) => Math.abs(r.cells[i]?.value ?? 0)))
  const each = (table.value?.columns ?? []).map((_, i) => of(i))
  return over.value === 'months' ? each.map(() => Math.max(...each)) : each
})
// By place, so that one record does not wash out the rest.
const tint = (c: Schemas['Cell'], i: number) => {
  const places = table.value?.columns[i]?.places ?? 0
  if (shade.value !== 'places' || !c.place || places < 2) return undefined
  const strength = Math.round(38 * (1 - (c.place - 1) / (places - 1)))
  return { background: `color-mix(in srgb, var(--tide) ${strength}%, transparent)` }
}
const best = computed(() =>
  rows.value.map((r) => {
    const values = r.cells.map((c) => c.value).filter((v): v is number => v !== undefined)
    if (over.value !== 'months' || values.length < 3) return {}
    const [low, high] = [Math.min(...values), Math.max(...values)]
    const down = table.value?.columns[0]?.good === 'down'
    return low === high ? {} : { best: down ? low : high, worst: down ? high : low }
  }),
)
const place = (c: Schemas['Cell'], i: number) =>
  c.place ? `place ${c.place} of ${table.value?.columns[i]?.places}` : (c.why ?? '')

const selected = computed(() => {
  const [measure, key, at] = cell.value.split('|')
  return measure && key !== undefined && at ? { measure, key, period: at } : undefined
})
const open = (c: Schemas['TableColumn'], key: string) => (cell.value = `${c.measure}|${key}|${c.period}`)
</script>

<template>
  <div class="flex min-h-0 flex-1">
    <section class="min-w-0 flex-1">
      <div class="flex flex-wrap items-center gap-2 px-4 pt-3 pb-2">
        <h1 class="sr-only">Figures of {{ label }}</h1>
        <input v-model="typed" type="search" class="field w-40" placeholder="Name or key" aria-label="Name or key" />
        <PickOne v-model="by" label="By" :all="levels[0]?.text ?? ''" :options="levels.slice(1)" />
        <PickOne
          v-model="over"
          label="Columns"
          all="Measures in columns"
          :options="[{ value: 'months', text: 'One measure, by period' }]"
        />
        <PickOne
          v-if="over === 'months'"
          label="Measure"
          :model-value="asked[0] === askable[0]?.name ? '' : asked[0]"
          :all="askable[0]?.title ?? ''"
          :options="askable.slice(1).map((m) => ({ value: m.name, text: m.title }))"
          @update:model-value="(v) => (chosen = v)"
        />
        <PickSome
          v-else
          v-model="picked"
          label="Measures"
          :text="countWords(picked.length, 'measure')"
          :options="askable.map((m) => ({ value: m.name, text: m.title }))"
        />
        <form class="flex" @submit.prevent="formula = written.trim()">
          <input
            v-model="written"
            class="field w-64 font-mono text-small"
            placeholder="Try a formula"
            aria-label="A formula to try, such as growth(revenue, 1 year)"
            @change="formula = written.trim()"
          />
        </form>
        <PickOne
          v-model="shade"
          label="Shading"
          all="Plain"
          :options="[
            { value: 'bars', text: 'Bars' },
            { value: 'places', text: 'Shaded by place' },
          ]"
        />
        <a :href="download" class="button ml-auto no-underline" download>
          <ArrowDownTrayIcon class="size-4" aria-hidden="true" />Export CSV
        </a>
      </div>
      <p class="px-4 pb-1 text-small text-muted" role="status">
        {{ countWords(table?.total ?? 0, 'row')
        }}<template v-if="shade === 'places'">; the stronger the tint, the better the place in its column</template
        ><template v-if="over === 'months'">; ↑ best and ↓ worst of each row</template>
      </p>
      <p v-if="error && formula" role="alert" class="px-4 pb-2 text-red">{{ error.message }}</p>
      <StateNote v-if="!table" :loading="isPending" :error="error" @retry="refetch()" />
      <StateNote v-else-if="!rows.length" :empty="text ? 'Nobody matches.' : `There are no figures for ${label}.`" />
      <div v-else class="relative overflow-x-auto px-2" role="region" aria-label="Figures" tabindex="0">
        <table class="grid-table figures">
          <thead>
            <tr>
              <th
                scope="col"
                class="sticky left-0 bg-paper"
                :aria-sort="sort === 0 ? (descending ? 'descending' : 'ascending') : 'none'"
              >
                <button class="font-semibold hover:text-tide" @click="sortBy(0)">Name</button>
              </th>
              <th
                v-for="(c, i) in table.columns"
                :key="c.measure + c.period"
                scope="col"
                :aria-sort="sort === i + 1 ? (descending ? 'descending' : 'ascending') : 'none'"
              >
                <button
                  class="inline-flex w-full items-center justify-end gap-1 font-semibold hover:text-tide"
                  @click="sortBy(i + 1)"
                >
                  <component
                    :is="descending ? ArrowDownIcon : ArrowUpIcon"
                    v-if="sort === i + 1"
                    class="size-3.5 text-tide"
                    aria-hidden="true"
                  />{{ head(c) }}
                </button>
              </th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(r, k) in rows" :key="r.key">
              <th scope="row" class="sticky left-0 !border-line bg-paper !text-base !font-normal !text-ink">
                {{ r.name || '(none)' }}
                <span v-if="r.key !== r.name" class="ml-1 font-mono text-small text-muted">{{ r.key }}</span>
              </th>
              <td v-for="(c, i) in r.cells" :key="i" class="!p-0 text-right whitespace-nowrap" :style="tint(c, i)">
                <button
                  class="block h-8 w-full px-2 text-right hover:bg-tide-soft"
                  :class="
                    cell === `${table.columns[i].measure}|${r.key}|${table.columns[i].period}`
                      ? 'bg-tide-soft outline outline-tide'
                      : ''
                  "
                  :title="place(c, i)"
                  @click="open(table.columns[i], r.key)"
                >
                  <span
                    v-if="c.value !== undefined && c.value === best[k].best"
                    class="mr-1 text-tide"
                    aria-label="best of the row"
                    >↑</span
                  >
                  <span
                    v-else-if="c.value !== undefined && c.value === best[k].worst"
                    class="mr-1 text-muted"
                    aria-label="worst of the row"
                    >↓</span
                  >
                  <span :class="c.text ? '' : 'text-muted'">{{ c.text || '–' }}</span><span
                    v-if="!c.text"
                    class="sr-only"
                    >{{ c.why }}</span
                  >
                  <span v-if="shade === 'bars'" class="-mt-0.5 flex h-[3px] justify-end" aria-hidden="true">
                    <span
                      class="block bg-tide"
                      :style="{ width: `${(100 * Math.abs(c.value ?? 0)) / most[i]}%` }"
                    ></span>
                  </span>
                </button>
              </td>
            </tr>
          </tbody>
          <tfoot v-if="level !== 'whole'">
            <tr>
              <th scope="row" class="sticky left-0 !border-t !border-line bg-paper !text-base !text-ink">The whole</th>
              <td
                v-for="(c, i) in table.whole"
                :key="i"
                class="border-t text-right font-semibold whitespace-nowrap"
                :title="c.why"
              >
                {{ c.text || '–' }}
              </td>
            </tr>
          </tfoot>
        </table>
        <div v-if="hasNextPage" class="p-3">
          <button class="button" :disabled="isFetchingNextPage" @click="fetchNextPage()">
            Show the next 100 of {{ table.total.toLocaleString('en-GB') }}
          </button>
        </div>
      </div>
    </section>
    <SideSheet v-if="selected" label="Figure" @close="cell = ''">
      <PartsView
        :measure="selected.measure"
        :by="level"
        :subject="selected.key"
        :period="selected.period"
        @open="(m) => (cell = `${m}|${selected!.key}|${selected!.period}`)"
      />
    </SideSheet>
  </div>
</template>
