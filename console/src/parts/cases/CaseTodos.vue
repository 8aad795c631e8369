<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'

import { api, need, type Schemas } from '@/lib/api'
import { useCaseParts, useTodoActs } from '@/lib/caseparts'
import { useSession } from '@/lib/session'
import DateField from '@/parts/ui/DateField.vue'
import TodoRow from '@/parts/cases/TodoRow.vue'

/** What is to be done about a case, by whom and when. */
const props = defineProps<{ id: number; todos: Schemas['Todo'][]; maySay: boolean; mayAct: boolean; head: string }>()
const { person } = useSession()
const { addTodo } = useCaseParts(() => props.id)
const { tick, drop } = useTodoActs()
const adding = ref(false)
const text = ref('')
const owner = ref('')
const due = ref<string>()
const people = useQuery({ queryKey: ['people'], queryFn: () => need(api.GET('/api/people')), enabled: adding })
const others = computed(() => (people.data.value ?? []).filter((p) => !p.closed && p.name !== person.value?.name))
function add() {
  if (!text.value.trim() || !due.value) return
  addTodo.mutate(
    { text: text.value, owner: owner.value || undefined, due: due.value },
    {
      onSuccess: () => {
        adding.value = false
        text.value = owner.value = ''
        due.value = undefined
      },
    },
  )
}
const mayTick = (t: Schemas['Todo']) => props.mayAct || t.owner === person.value?.name || t.by === person.value?.name
</script>

<template>
  <section v-if="todos.length || maySay" aria-label="To do">
    <component :is="head" class="text-small font-semibold text-muted">To do</component>
    <ul v-if="todos.length" class="mt-1">
      <TodoRow
        v-for="t in todos"
        :key="t.id"
        :todo="t"
        :may-tick="mayTick(t)"
        @tick="(done) => tick.mutate({ id: t.id, done })"
        @drop="drop.mutate(t.id)"
      />
    </ul>
    <form v-if="adding" class="card mt-2 space-y-2 p-3" @submit.prevent="add" @keydown.esc.stop="adding = false">
      <label class="block text-small text-muted"
        >What is to be done
        <input v-model="text" maxlength="500" class="field mt-0.5 w-full" />
      </label>
      <div class="flex flex-wrap items-end gap-3 text-small text-muted">
        <label class="flex flex-col gap-0.5"
          >By whom
          <select v-model="owner" class="field">
            <option value="">me</option>
            <option v-for="p in others" :key="p.name" :value="p.name">{{ p.display_name }}</option>
          </select>
        </label>
        <span class="flex flex-col gap-0.5">By when <DateField v-model="due" label="By when" /></span>
      </div>
      <div class="flex gap-2">
        <button class="button-main" :disabled="!text.trim() || !due || addTodo.isPending.value">Add it</button>
        <button type="button" class="button" @click="adding = false">Cancel</button>
      </div>
    </form>
    <button v-else-if="maySay" class="button mt-1" @click="adding = true">Add a to-do</button>
    <p v-for="e in [addTodo.error.value, tick.error.value, drop.error.value]" :key="e?.message" role="alert">
      <span v-if="e" class="text-red">{{ e.message }}</span>
    </p>
  </section>
</template>
