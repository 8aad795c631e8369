<script setup lang="ts">
import { PlusIcon } from '@heroicons/vue/20/solid'
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'

import { api, need } from '@/lib/api'
import { countWords } from '@/lib/format'
import { useQueryWord, useSelected } from '@/lib/query'
import { stepRow } from '@/lib/rows'
import { useRulebook } from '@/lib/rulebook'
import { useSession } from '@/lib/session'
import AbsenceView from '@/parts/account/AbsenceView.vue'
import PeopleTabs from '@/parts/account/PeopleTabs.vue'
import PersonForm from '@/parts/account/PersonForm.vue'
import SideSheet from '@/parts/ui/SideSheet.vue'
import QueryState from '@/parts/ui/QueryState.vue'

/** Who may sign in, and as what. */
const { may } = useSession()
const { desk } = useRulebook()
const { data, error, isPending, refetch } = useQuery({
  queryKey: ['people'],
  queryFn: () => need(api.GET('/api/people')),
})
const open = computed(() => data.value?.filter((p) => !p.closed) ?? [])
const shown = computed(() => [...open.value, ...(data.value?.filter((p) => p.closed) ?? [])])
const { selected: chosen, open: choose } = useSelected('name')
const adding = useQueryWord('add')
const told = ref<{ name: string; password: string; ends: string }>()
const person = computed(() => open.value.find((p) => p.name === chosen.value))
const isLead = computed(() => may('createPerson'))
const pick = (name: string) => {
  adding.value = ''
  choose(name)
}
function add() {
  chosen.value = ''
  adding.value = 'yes'
}
function close() {
  chosen.value = ''
  adding.value = ''
}
function done(name: string) {
  adding.value = ''
  chosen.value = name
}
</script>

<template>
  <div class="flex min-h-0 flex-1">
    <section class="min-w-0 flex-1 p-4">
      <PeopleTabs v-if="isLead" class="mb-4" />
      <div class="flex items-center gap-4">
        <h1 class="text-title font-semibold">People</h1>
        <p v-if="data" class="text-muted" role="status">{{ countWords(open.length, 'account') }}</p>
        <button v-if="isLead" class="button ml-auto" @click="add">
          <PlusIcon class="size-4" aria-hidden="true" />New account
        </button>
      </div>
      <QueryState v-if="!data" :loading="isPending" :error="error" @retry="refetch()" />
      <table v-else class="grid-table cards-narrow mt-3">
        <caption class="sr-only">
          Accounts, with their roles and desks
        </caption>
        <thead>
          <tr>
            <th scope="col">Display name</th>
            <th scope="col">Name</th>
            <th scope="col">Role</th>
            <th scope="col">Desks</th>
          </tr>
        </thead>
        <tbody>
          <tr
            v-for="p in shown"
            :key="p.name"
            data-row
            :tabindex="p.closed || !isLead ? -1 : 0"
            :class="[
              p.closed ? 'text-muted' : isLead ? 'cursor-pointer hover:bg-tide-soft' : '',
              chosen === p.name ? 'bg-tide-soft' : '',
            ]"
            @click="!p.closed && isLead && pick(p.name)"
            @keydown.enter="!p.closed && isLead && pick(p.name)"
            @keydown.down.prevent="stepRow($event, 1)"
            @keydown.up.prevent="stepRow($event, -1)"
          >
            <td>{{ p.display_name }}</td>
            <td class="font-mono text-small">{{ p.name }}</td>
            <td>{{ p.closed ? 'closed' : p.role }}</td>
            <td class="text-small text-muted">{{ p.desks.map(desk).join(', ') }}</td>
          </tr>
        </tbody>
      </table>
    </section>
    <SideSheet v-if="isLead && (person || adding)" class="lg:!top-0 lg:!h-screen" label="Account" @close="close">
      <PersonForm v-model:told="told" :person="person" @done="done" />
      <AbsenceView v-if="person" :key="person.name" class="mt-6" :name="person.name" :title="person.display_name" />
    </SideSheet>
  </div>
</template>
