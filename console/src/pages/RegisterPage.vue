<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRoute } from 'vue-router'

import { api, need, type Schemas } from '@/lib/api'
import { countWords, dayWords, momentWords } from '@/lib/format'
import { pageSize, usePaged } from '@/lib/paged'
import { useQueryWord } from '@/lib/query'
import { useRulebook } from '@/lib/rulebook'
import { useTyped } from '@/lib/typed'
import { usePeople } from '@/lib/people'
import DataTabs from '@/parts/data/DataTabs.vue'
import DateField from '@/parts/ui/DateField.vue'
import KindSelect from '@/parts/data/KindSelect.vue'
import LongTable from '@/parts/figures/LongTable.vue'
import SideSheet from '@/parts/ui/SideSheet.vue'
import QueryState from '@/parts/ui/QueryState.vue'

const { nameOf } = usePeople()

const route = useRoute()
const { book } = useRulebook()
const kind = computed(() => String(route.params.kind ?? '') || book.value?.kinds[0]?.name || '')
const text = useQueryWord('text')
const at = useQueryWord('at')
const chosen = useQueryWord('key')
const typed = useTyped(text)

const question = computed(() => ({ text: text.value || undefined, at: at.value || undefined }))
const { first, total, list } = usePaged<Schemas['RegisterRow'], Schemas['RegisterPage']>(
  computed(() => ['register', kind.value, question.value]),
  (skip) =>
    need(
      api.GET('/api/registers/{kind}', {
        params: {
          path: { kind: kind.value },
          query: { ...question.value, limit: pageSize, cursor: skip ? String(skip) : undefined },
        },
      }),
    ),
  computed(() => !!kind.value),
)
const { data: page, error, isPending, refetch } = first
const history = useQuery({
  queryKey: computed(() => ['subject', kind.value, chosen.value]),
  queryFn: () =>
    need(api.GET('/api/registers/{kind}/{key}', { params: { path: { kind: kind.value, key: chosen.value } } })),
  enabled: computed(() => !!chosen.value && !!kind.value),
})
const values = (v: Record<string, string>) => Object.entries(v).sort()
</script>

<template>
  <div class="flex min-h-0 flex-1">
    <section class="min-w-0 flex-1 p-4">
      <DataTabs />
      <div class="mt-3 flex flex-wrap items-center gap-2">
        <h1 class="sr-only">Register of {{ page?.title }}</h1>
        <KindSelect path="/data/registers" :kind="kind" />
        <input
          v-model="typed"
          type="search"
          class="field w-56"
          placeholder="Key, name or attribute"
          aria-label="Key, name or attribute"
        />
        <span class="ml-2 flex items-center gap-2 text-muted">
          As of
          <DateField label="As of" :model-value="at || page?.at" @update:model-value="(v) => (at = v ?? '')" />
        </span>
        <span class="ml-auto text-small text-muted" role="status">{{ countWords(total, 'subject') }}</span>
      </div>
      <QueryState
        v-if="!page"
        :loading="isPending && !!kind"
        :error="error"
        empty="No rulebook is published yet."
        @retry="refetch()"
      />
      <QueryState v-else-if="!total" :empty="text ? 'No match.' : 'This register is empty.'" />
      <LongTable
        v-else
        class="mt-2 max-h-[max(20rem,calc(100vh-9rem))]"
        label="Register"
        :list="list"
        :around="1"
        :row-class="(r) => [r.active ? '' : 'text-muted', r.key === chosen ? 'bg-tide-soft' : ''].join(' ')"
      >
        <template #head>
          <tr>
            <th scope="col">Key</th>
            <th scope="col">Name</th>
            <th v-for="a in page.attributes" :key="a" scope="col" class="first-letter:uppercase">
              {{ a.replaceAll('_', ' ') }}
            </th>
            <th scope="col">Active</th>
          </tr>
        </template>
        <template #row="{ row: r }">
          <td class="font-mono text-small whitespace-nowrap">{{ r.key }}</td>
          <td class="whitespace-nowrap">
            <button class="text-left hover:text-tide hover:underline" @click="chosen = r.key">{{ r.name }}</button>
          </td>
          <td v-for="(v, i) in r.values" :key="i" class="whitespace-nowrap">{{ v || '–' }}</td>
          <td class="text-small whitespace-nowrap">
            {{ r.active ? '' : 'not active: ' }}{{ r.active_from ? `from ${dayWords(r.active_from)} ` : ''
            }}{{ r.active_to ? `until ${dayWords(r.active_to)}` : ''
            }}{{ !r.active_from && !r.active_to ? 'always' : '' }}
          </td>
        </template>
      </LongTable>
    </section>
    <SideSheet v-if="chosen" class="lg:!top-0 lg:!h-screen" label="Subject" @close="chosen = ''">
      <QueryState
        v-if="!history.data.value"
        :loading="history.isPending.value"
        :error="history.error.value"
        @retry="history.refetch()"
      />
      <article v-else class="p-4">
        <h2 class="text-lead font-semibold">{{ history.data.value[0].name }}</h2>
        <p class="font-mono text-small text-muted">{{ chosen }}</p>
        <h3 class="mt-4 font-semibold">What the register said</h3>
        <ol class="mt-1">
          <li
            v-for="(h, i) in history.data.value"
            :key="i"
            class="border-b border-line py-2"
            :class="h.superseded_by ? 'text-muted' : ''"
          >
            <p class="font-semibold">
              {{ h.valid_from ? `From ${dayWords(h.valid_from)}` : 'Since ever'
              }}{{ h.valid_to ? ` to ${dayWords(h.valid_to)}` : '' }}
              <span class="text-small font-normal">{{
                [
                  h.again_from ? `counts again since version ${h.again_from}` : '',
                  h.superseded_by ? `no longer counts since version ${h.superseded_by}` : '',
                ]
                  .filter(Boolean)
                  .join(', ')
              }}</span>
            </p>
            <dl class="mt-1 grid grid-cols-[auto_1fr] gap-x-3">
              <template v-for="[k, v] in values(h.values)" :key="k">
                <dt class="text-muted">{{ k }}</dt>
                <dd>{{ v }}</dd>
              </template>
              <template v-if="h.active_from || h.active_to">
                <dt class="text-muted">active</dt>
                <dd>
                  {{ h.active_from ? `from ${dayWords(h.active_from)}` : '' }}
                  {{ h.active_to ? `until ${dayWords(h.active_to)}` : '' }}
                </dd>
              </template>
            </dl>
            <p class="mt-1 text-small text-muted">
              Version {{ h.intake }}, {{ h.file }}, by {{ nameOf(h.by) }}, {{ momentWords(h.at) }}
            </p>
          </li>
        </ol>
      </article>
    </SideSheet>
  </div>
</template>
