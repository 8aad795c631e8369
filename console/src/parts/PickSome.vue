<script setup lang="ts">
import { Listbox, ListboxButton, ListboxLabel, ListboxOption, ListboxOptions } from '@headlessui/vue'
import { CheckIcon, ChevronDownIcon } from '@heroicons/vue/20/solid'

/** Several of many, in the order in which they were chosen. */
defineProps<{ label: string; text: string; options: { value: string; text: string }[] }>()
const model = defineModel<string[]>({ required: true })
</script>

<template>
  <Listbox v-model="model" as="div" class="relative" multiple>
    <ListboxLabel class="sr-only">{{ label }}</ListboxLabel>
    <ListboxButton class="button">{{ text }}<ChevronDownIcon class="size-4" aria-hidden="true" /></ListboxButton>
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
