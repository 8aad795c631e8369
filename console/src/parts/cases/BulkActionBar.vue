<script setup lang="ts">
import { useActs, type ActName, type Chosen } from '@/lib/acts'
import { countWords } from '@/lib/format'

/** What can be done to several cases at once; nothing where none is chosen. */
const props = defineProps<{ cases: Chosen[]; what?: string }>()
defineEmits<{ none: [] }>()
const { start, act } = useActs()
const together: { act: ActName; words: string }[] = [
  { act: 'take', words: 'Take' },
  { act: 'settle', words: 'Settle…' },
  { act: 'park', words: 'Park…' },
  { act: 'hand over', words: 'Hand over…' },
  { act: 'comment', words: 'Comment…' },
  { act: 'return', words: 'Return to desk' },
]
</script>

<template>
  <div
    v-if="props.cases.length"
    role="toolbar"
    aria-label="Bulk actions"
    class="sticky top-0 z-10 flex flex-wrap items-center gap-2 border-y border-tide bg-tide-soft px-4 py-1.5 print:hidden"
  >
    <span class="mr-2 font-semibold">{{ what ?? `${countWords(cases.length, 'case')} selected` }}</span>
    <button v-for="x in together" :key="x.act" class="button" @click="start(x.act, cases)">{{ x.words }}</button>
    <button class="button ml-auto" @click="$emit('none')">Clear selection</button>
    <p v-if="act.error.value" role="alert" class="w-full text-red">{{ act.error.value.message }}</p>
  </div>
</template>
