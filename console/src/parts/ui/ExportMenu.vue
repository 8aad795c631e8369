<script setup lang="ts">
import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/vue'
import { ArrowDownTrayIcon } from '@heroicons/vue/20/solid'

import type { Form } from '@/lib/files'

/** What a page shows, as a file that the service writes, or on paper. */
withDefaults(defineProps<{ href: (form: Form) => string; workbook?: string; busy?: boolean }>(), {
  workbook: 'Workbook (XLSX)',
})
defineEmits<{ print: [] }>()
</script>

<template>
  <Menu as="div" class="relative ml-auto print:hidden">
    <MenuButton class="button">
      <ArrowDownTrayIcon class="size-4" aria-hidden="true" />{{ busy ? 'Preparing…' : 'Export' }}
    </MenuButton>
    <MenuItems
      class="absolute right-0 z-20 mt-1 w-64 rounded border border-line bg-card py-1 shadow-lg focus:outline-none"
    >
      <MenuItem
        v-for="[form, name] in [
          ['xlsx', workbook],
          ['csv', 'CSV'],
          ['json', 'JSON'],
          ['parquet', 'Parquet'],
        ] as [Form, string][]"
        :key="form"
        v-slot="{ active }"
      >
        <a
          :href="href(form)"
          download
          class="block px-3 py-1.5 text-ink no-underline"
          :class="active ? 'bg-tide-soft' : ''"
          >{{ name }}</a
        >
      </MenuItem>
      <MenuItem v-slot="{ active }">
        <button
          class="block w-full px-3 py-1.5 text-left"
          :class="active ? 'bg-tide-soft' : ''"
          @click="$emit('print')"
        >
          Print
        </button>
      </MenuItem>
    </MenuItems>
  </Menu>
</template>
