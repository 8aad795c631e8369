<script setup lang="ts">
import { Listbox, ListboxButton, ListboxLabel, ListboxOption, ListboxOptions } from '@headlessui/vue'
import { CheckIcon, ChevronDownIcon } from '@heroicons/vue/20/solid'
import { computed } from 'vue'

/** One of a few; the empty value is all of them. */
const props = defineProps<{ label: string; all: string; options: { value: string; text: string }[] }>()
const model = defineModel<string>({ required: true })
const list = computed(() => [{ value: '', text: props.all }, ...props.options])
const shown = computed(() => list.value.find((o) => o.value === model.value)?.text ?? model.value)
</script>

<template>
  <Listbox v-model="model" as="div" class="relative">
    <ListboxLabel class="sr-only">{{ label }}</ListboxLabel>
    <ListboxButton class="button" :class="model ? 'border-tide text-tide' : ''">
      {{ shown }}<ChevronDownIcon class="size-4" aria-hidden="true" />
    </ListboxButton>
    <ListboxOptions
      class="absolute z-20 mt-1 max-h-80 min-w-full overflow-auto rounded border border-line bg-card py-1 shadow-lg"
    >
      <ListboxOption v-for="o in list" :key="o.value" v-slot="{ active, selected }" :value="o.value" as="template">
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
