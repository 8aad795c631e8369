<script setup lang="ts">
import { Listbox, ListboxButton, ListboxLabel, ListboxOption, ListboxOptions } from '@headlessui/vue'
import { CheckIcon, ChevronDownIcon } from '@heroicons/vue/20/solid'

/** The listbox of the console; SelectOne and SelectSome say what is picked with it. */
defineProps<{
  label: string
  shown: string
  options: { value: string; text: string }[]
  multiple?: boolean
  /** What is picked is not what it is to begin with. */
  marked?: boolean
}>()
const model = defineModel<string | string[]>({ required: true })
</script>

<template>
  <Listbox v-model="model" as="div" class="relative" :multiple="multiple">
    <ListboxLabel class="sr-only">{{ label }}</ListboxLabel>
    <ListboxButton class="button" :class="marked ? 'border-tide text-tide' : ''">
      {{ shown }}<ChevronDownIcon class="size-4" aria-hidden="true" />
    </ListboxButton>
    <ListboxOptions
      class="absolute z-20 mt-1 max-h-96 min-w-full overflow-auto rounded border border-line bg-card py-1 shadow-lg"
    >
      <ListboxOption v-for="o in options" :key="o.value" v-slot="{ active, selected }" :value="o.value" as="template">
        <li
          class="flex cursor-pointer items-center gap-2 px-3 py-1 whitespace-nowrap"
          :class="[active ? 'bg-tide-soft' : '', selected ? 'font-semibold' : '']"
        >
          <CheckIcon class="size-4" :class="selected ? 'text-tide' : 'invisible'" aria-hidden="true" />{{ o.text }}
        </li>
      </ListboxOption>
    </ListboxOptions>
  </Listbox>
</template>
