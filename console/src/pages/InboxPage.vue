<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'

import { api, need } from '@/lib/api'
import { useNotices, useTodoActs } from '@/lib/caseparts'
import { momentWords } from '@/lib/format'
import { useQueryWord } from '@/lib/query'
import { useSession } from '@/lib/session'
import { usePeople } from '@/lib/people'
import DeskTabs from '@/parts/cases/DeskTabs.vue'
import SelectOne from '@/parts/ui/SelectOne.vue'
import MentionText from '@/parts/cases/MentionText.vue'
import QueryState from '@/parts/ui/QueryState.vue'
import TodoRow from '@/parts/cases/TodoRow.vue'

const { nameOf } = usePeople()

/** What one is to do about cases, and what one was told of them. */
const { person, may } = useSession()
const whose = useQueryWord('whose')
const todos = useQuery({
  queryKey: ['todos', whose],
  queryFn: () => need(api.GET('/api/todos', { params: { query: { all: whose.value === 'all' } } })),
})
const { tick, drop } = useTodoActs()
const { query: notices, see, news } = useNotices()
</script>

<template>
  <section>
    <DeskTabs />
    <h1 class="sr-only">Inbox</h1>
    <div class="grid gap-x-8 gap-y-6 p-4 lg:grid-cols-2">
      <div>
        <div class="flex flex-wrap items-center gap-3">
          <h2 class="text-title font-semibold">To-dos</h2>
          <SelectOne v-model="whose" label="Whose" all="Mine" :options="[{ value: 'all', text: 'All people' }]" />
        </div>
        <QueryState
          v-if="!todos.data.value"
          :loading="todos.isPending.value"
          :error="todos.error.value"
          @retry="todos.refetch()"
        />
        <QueryState v-else-if="!todos.data.value.length" empty="No to-dos. Add one on a case." />
        <ul v-else class="mt-1 border-t border-line">
          <TodoRow
            v-for="t in todos.data.value"
            :key="t.id"
            :todo="t"
            with-case
            :may-tick="t.owner === person?.name || t.by === person?.name || may('changeOthers')"
            @tick="(done) => tick.mutate({ id: t.id, done })"
            @drop="drop.mutate(t.id)"
          />
        </ul>
        <p v-if="tick.error.value || drop.error.value" role="alert" class="text-red">
          {{ (tick.error.value ?? drop.error.value)!.message }}
        </p>
      </div>
      <div>
        <div class="flex flex-wrap items-center gap-3">
          <h2 class="text-title font-semibold">Notifications</h2>
          <p role="status" class="text-muted">{{ news ? `${news} new` : '' }}</p>
          <button
            v-if="news && notices.data.value"
            class="button ml-auto"
            @click="see.mutate({ up_to: notices.data.value.items[0].id })"
          >
            Mark all as read
          </button>
        </div>
        <QueryState
          v-if="!notices.data.value"
          :loading="notices.isPending.value"
          :error="notices.error.value"
          @retry="notices.refetch()"
        />
        <QueryState
          v-else-if="!notices.data.value.items.length"
          empty="No notifications yet. You are notified when someone mentions or asks you, hands you a case or reminds you."
        />
        <ul v-else class="mt-1 border-t border-line">
          <li
            v-for="n in notices.data.value.items"
            :key="n.id"
            class="border-b border-line py-1.5"
            :class="n.seen ? 'text-muted' : ''"
          >
            <p>
              <span v-if="!n.seen" class="mr-1.5 inline-block size-2 rounded-full bg-tide"
                ><span class="sr-only">new</span></span
              >
              <RouterLink
                :to="`/cases/${n.case}`"
                :class="n.seen ? '' : 'font-semibold'"
                @click="n.seen || see.mutate({ up_to: n.id, case: n.case })"
                >{{ n.name }}</RouterLink
              >
              <span class="ml-1.5 text-small text-muted"
                >{{ nameOf(n.by) }} {{ n.words }} · {{ momentWords(n.at) }}</span
              >
            </p>
            <p v-if="n.text" class="text-small"><MentionText :text="n.text" /></p>
          </li>
        </ul>
      </div>
    </div>
  </section>
</template>
