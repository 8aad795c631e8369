<script setup lang="ts">
import type { Schemas } from '@/lib/api'
import { dayWords } from '@/lib/format'
import { usePeople } from '@/lib/people'

const { nameOf } = usePeople()

/** One thing that is to be done. */
defineProps<{ todo: Schemas['Todo']; mayTick: boolean; withCase?: boolean }>()
defineEmits<{ tick: [done: boolean]; drop: [] }>()
</script>

<template>
  <li class="flex items-start gap-2 border-b border-line py-1.5">
    <input
      type="checkbox"
      class="mt-1 size-4 shrink-0"
      :checked="!!todo.done_by"
      :disabled="!mayTick"
      :aria-label="`Done: ${todo.text}`"
      @change="$emit('tick', !todo.done_by)"
    />
    <span class="min-w-0 flex-1">
      <span class="break-words" :class="todo.done_by ? 'text-muted line-through' : ''">{{ todo.text }}</span>
      <span class="block text-small text-muted">
        <template v-if="withCase"
          ><RouterLink :to="`/cases/${todo.case}`">{{ todo.name }}</RouterLink
          >,
        </template>
        {{ nameOf(todo.owner) }},
        <template v-if="todo.done_by">done by {{ nameOf(todo.done_by) }}</template>
        <span v-else :class="todo.late ? 'font-semibold text-red' : ''"
          >{{ todo.late ? 'late, was due' : 'by' }} {{ dayWords(todo.due) }}</span
        >
      </span>
    </span>
    <button
      v-if="mayTick && !todo.done_by"
      class="text-small text-muted hover:text-red"
      :aria-label="`Remove: ${todo.text}`"
      @click="$emit('drop')"
    >
      Remove
    </button>
  </li>
</template>
