<script setup lang="ts">
import { Dialog, DialogPanel, DialogTitle } from '@headlessui/vue'
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { ref } from 'vue'

import { api, need, type Schemas } from '@/lib/api'
import { countWords, momentWords, monthWords } from '@/lib/format'
import { useSession } from '@/lib/session'
import DataTabs from '@/parts/data/DataTabs.vue'
import IntakeForm from '@/parts/data/IntakeForm.vue'
import QueryState from '@/parts/ui/QueryState.vue'
import { refresh } from '@/lib/queries'
import { usePeople } from '@/lib/people'

const { nameOf } = usePeople()

const { may } = useSession()
const queries = useQueryClient()
const { data, error, isPending, refetch } = useQuery({
  queryKey: ['intakes'],
  queryFn: () => need(api.GET('/api/intakes')),
})
const asked = ref<Schemas['Intake']>()
const takeBack = useMutation({
  mutationFn: (id: number) => need(api.DELETE('/api/intakes/{id}', { params: { path: { id } } })),
  onSuccess: () => {
    asked.value = undefined
    refresh(queries, 'all')
  },
})
function ask(in_: Schemas['Intake']) {
  takeBack.reset()
  asked.value = in_
}
const months = (m: string[]) => [...new Set([m[0], m.at(-1)])].flatMap((x) => (x ? [monthWords(x)] : [])).join(' to ')
const way = (i: Schemas['Intake']) =>
  i.period ? `, replaces ${monthWords(i.period)}` : i.mode === 'correct' ? ', corrects by key' : ''
const totals = (t: Record<string, string>) =>
  Object.entries(t)
    .sort()
    .map(([k, v]) => `${k} ${Number(v).toLocaleString('en-GB', { maximumFractionDigits: 2 })}`)
    .join(', ')
</script>

<template>
  <div class="p-4">
    <DataTabs />
    <h1 class="sr-only">Intakes</h1>
    <p class="mt-3 text-muted">
      Loaded files, newest first. Each makes a data version, so that the data of a sweep can always be read again.
    </p>
    <IntakeForm v-if="may('createIntake')" />
    <QueryState v-if="!data" :loading="isPending" :error="error" @retry="refetch()" />
    <QueryState v-else-if="!data.length" empty="No files loaded yet. Load registers first, then lines." />
    <div v-else class="relative mt-3 overflow-x-auto" role="region" aria-label="Intakes" tabindex="0">
      <table class="grid-table figures">
        <caption class="sr-only">
          Intakes
        </caption>
        <thead>
          <tr>
            <th scope="col" class="!text-right">Version</th>
            <th scope="col">Into</th>
            <th scope="col">File</th>
            <th scope="col" class="!text-right">Rows</th>
            <th scope="col">Months</th>
            <th scope="col">Totals</th>
            <th scope="col">By</th>
            <th scope="col">At</th>
            <th scope="col"><span class="sr-only">Status</span></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="i in data" :key="i.id" :class="i.reverted_by ? 'text-muted' : ''">
            <td class="text-right">{{ i.id }}</td>
            <td class="whitespace-nowrap">
              {{ i.into }} {{ i.name }}<span class="text-small text-muted">{{ way(i) }}</span>
            </td>
            <td class="font-mono text-small">{{ i.file }}</td>
            <td class="text-right">{{ i.rows.toLocaleString('en-GB') }}</td>
            <td class="whitespace-nowrap">{{ months(i.months) }}</td>
            <td class="text-small text-muted">{{ totals(i.totals) }}</td>
            <td>{{ nameOf(i.by) }}</td>
            <td class="whitespace-nowrap">{{ momentWords(i.at) }}</td>
            <td class="whitespace-nowrap">
              <button
                v-if="may('createIntake') && !i.reverted_by && i.into !== 'revert'"
                class="text-tide hover:underline"
                @click="ask(i)"
              >
                Revert<span class="sr-only"> intake {{ i.id }}</span>
              </button>
              <span v-else-if="i.reverted_by" class="text-small text-muted"
                >reverted by intake {{ i.reverted_by }}</span
              >
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <Dialog :open="!!asked" class="relative z-30" @close="asked = undefined">
      <div class="fixed inset-0 bg-[#0008]" aria-hidden="true"></div>
      <div class="fixed inset-0 grid place-items-center p-4">
        <DialogPanel class="card w-full max-w-md p-5">
          <DialogTitle class="text-lead font-semibold">Revert {{ asked?.file }}?</DialogTitle>
          <p class="mt-2">
            Its {{ countWords(asked?.rows ?? 0, 'row no longer counts', 'rows no longer count') }}, and what they
            replaced counts again. Past sweeps keep what they saw; sweep the periods again to see the difference.
          </p>
          <p v-if="takeBack.error.value" role="alert" class="mt-2 text-red">{{ takeBack.error.value.message }}</p>
          <div class="mt-4 flex justify-end gap-2">
            <button class="button" @click="asked = undefined">Cancel</button>
            <button class="button-main" :disabled="takeBack.isPending.value" @click="takeBack.mutate(asked!.id)">
              Revert intake {{ asked?.id }}
            </button>
          </div>
        </DialogPanel>
      </div>
    </Dialog>
  </div>
</template>
