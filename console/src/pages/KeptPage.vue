<script setup lang="ts">
import { computed, reactive, ref } from 'vue'

import type { Schemas } from '@/lib/api'
import { useKept, type View } from '@/lib/keptlists'
import { usePeriod } from '@/lib/period'
import { usePeople } from '@/lib/people'
import FigureTabs from '@/parts/figures/FigureTabs.vue'
import QueryState from '@/parts/ui/QueryState.vue'

/** What is kept by name: tables of figures, and boards that are made of them. */
const { tables, boards, save, remove, mine, mayRemove, titles } = useKept()
const { nameOf } = usePeople()
const { period } = usePeriod()
const at = computed(() => (period.value ? { period: period.value } : {}))

const trends = {
  rule: 'Flagged, by rule',
  desk: 'Flagged, by desk',
  kind: 'Flagged, by kind',
  grade: 'Flagged, by grade',
}
const partName = (p: Schemas['BoardPart']) =>
  p.trend ? trends[p.trend] : (titles.value.get(p.table!) ?? 'a table that is gone')

const writing = ref(false)
const form = reactive({ name: '', above: '', shared: false, parts: ['', '', '', ''] })
function write(b?: View) {
  const parts = (b?.board?.parts ?? []).map((p) => p.trend ?? String(p.table))
  Object.assign(form, {
    name: b?.name ?? '',
    above: b?.board?.text_above ?? '',
    shared: b?.shared ?? false,
    parts: [0, 1, 2, 3].map((i) => parts[i] ?? ''),
  })
  save.reset()
  writing.value = true
}
async function keep() {
  const parts = form.parts
    .filter(Boolean)
    .map((p) => (p in trends ? { trend: p as keyof typeof trends } : { table: Number(p) }))
  const board = { text_above: form.above.trim() || undefined, parts }
  const done = await save
    .mutateAsync({ name: form.name, shared: form.shared, of: 'boards', board })
    .catch(() => undefined)
  if (done) writing.value = false
}
const asking = ref<number>()
async function forget(v: View) {
  if (asking.value !== v.id) asking.value = v.id
  else await remove.mutateAsync(v.id).catch(() => undefined)
}
</script>

<template>
  <section class="min-w-0 flex-1">
    <FigureTabs />
    <h1 class="sr-only">Kept tables and boards</h1>
    <p v-if="remove.error.value" role="alert" class="px-4 pt-3 text-red">{{ remove.error.value.message }}</p>
    <div class="space-y-6 p-4">
      <section aria-labelledby="kept-tables">
        <h2 id="kept-tables" class="text-lead font-semibold">Tables</h2>
        <QueryState
          v-if="!tables.data.value"
          :loading="tables.isPending.value"
          :error="tables.error.value"
          @retry="tables.refetch()"
        />
        <p v-else-if="!tables.data.value.length" class="mt-1 max-w-2xl text-muted">
          None yet. Arrange a <RouterLink :to="{ path: '/figures', query: at }">table of figures</RouterLink>, then keep
          it with Keep.
        </p>
        <table v-else class="grid-table mt-1">
          <thead>
            <tr>
              <th scope="col">Name</th>
              <th scope="col">Of</th>
              <th scope="col">Kept by</th>
              <th scope="col"><span class="sr-only">What to do</span></th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="t in tables.data.value" :key="t.id">
              <th scope="row" class="!text-base !font-semibold">
                <RouterLink :to="{ path: `/tables/${t.id}`, query: at }">{{ t.name }}</RouterLink>
              </th>
              <td class="!whitespace-normal">{{ t.table?.measures }}{{ t.table?.by ? ` by ${t.table.by}` : '' }}</td>
              <td>{{ nameOf(t.owner) }}, {{ t.shared ? 'shared' : 'not shared' }}</td>
              <td class="text-right">
                <button v-if="mayRemove(t)" class="button" @click="forget(t)" @blur="asking = undefined">
                  {{ asking === t.id ? `Delete ${t.name}` : 'Delete' }}
                </button>
              </td>
            </tr>
          </tbody>
        </table>
      </section>

      <section aria-labelledby="kept-boards">
        <h2 id="kept-boards" class="text-lead font-semibold">Boards</h2>
        <p class="max-w-2xl text-small text-muted">Up to four kept tables and trends of one period on one page.</p>
        <table v-if="boards.data.value?.length" class="grid-table mt-1">
          <thead>
            <tr>
              <th scope="col">Name</th>
              <th scope="col">Shows</th>
              <th scope="col">Kept by</th>
              <th scope="col"><span class="sr-only">What to do</span></th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="b in boards.data.value" :key="b.id">
              <th scope="row" class="!text-base !font-semibold">
                <RouterLink :to="{ path: `/boards/${b.id}`, query: at }">{{ b.name }}</RouterLink>
              </th>
              <td class="!whitespace-normal">{{ b.board?.parts.map(partName).join('; ') }}</td>
              <td>{{ nameOf(b.owner) }}, {{ b.shared ? 'shared' : 'not shared' }}</td>
              <td class="space-x-2 text-right">
                <button v-if="mine(b)" class="button" @click="write(b)">Change</button>
                <button v-if="mayRemove(b)" class="button" @click="forget(b)" @blur="asking = undefined">
                  {{ asking === b.id ? `Delete ${b.name}` : 'Delete' }}
                </button>
              </td>
            </tr>
          </tbody>
        </table>
        <form v-if="writing" class="card mt-3 max-w-2xl space-y-3 p-3" @submit.prevent="keep">
          <label class="block"
            >Name <input v-model="form.name" class="field mt-0.5 w-full" required maxlength="80"
          /></label>
          <label class="block"
            >Text above it
            <textarea v-model="form.above" class="field mt-0.5 w-full" rows="2" maxlength="2000"></textarea>
          </label>
          <div class="grid gap-2 sm:grid-cols-2">
            <label v-for="(_, i) in form.parts" :key="i" class="block"
              >{{ ['First', 'Second', 'Third', 'Fourth'][i] }}
              <select v-model="form.parts[i]" class="field mt-0.5 w-full">
                <option value="">Nothing</option>
                <option v-for="t in tables.data.value ?? []" :key="t.id" :value="String(t.id)">{{ t.name }}</option>
                <option v-for="(title, by) in trends" :key="by" :value="by">{{ title }}</option>
              </select>
            </label>
          </div>
          <label class="block"><input v-model="form.shared" type="checkbox" /> Shared: all see it</label>
          <p v-if="save.error.value" role="alert" class="text-red">{{ save.error.value.message }}</p>
          <p class="flex gap-2">
            <button class="button-main" :disabled="save.isPending.value || !form.parts.some(Boolean)">
              Save the board
            </button>
            <button type="button" class="button" @click="writing = false">Cancel</button>
          </p>
        </form>
        <button v-else class="button mt-3" @click="write()">New board</button>
      </section>
    </div>
  </section>
</template>
