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
  { act: 'release', words: 'Put back' },
]
</script>

<template>
  <div
    v-if="props.cases.length"
    role="toolbar"
    aria-label="What is done to the chosen"
    class="sticky top-0 z-10 flex flex-wrap items-center gap-2 border-y border-tide bg-tide-soft px-4 py-1.5 print:hidden"
  >
    <span class="mr-2 font-semibold">{{ what ?? `${countWords(cases.length, 'case')} chosen` }}</span>
    <button v-for="x in together" :key="x.act" class="button" @click="start(x.act, cases)">{{ x.words }}</button>
    <button class="button ml-auto" @click="$emit('none')">Choose none</button>
    <p v-if="act.error.value" role="alert" class="w-full text-red">{{ act.error.value.message }}</p>
  </div>
</template>
