<script setup lang="ts">
import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/vue'
import { ArrowDownTrayIcon } from '@heroicons/vue/24/outline'

/** A report as a file, or on paper. */
const props = defineProps<{ report: 'findings' | 'work'; asked: Record<string, string | undefined> }>()
const forms = [
  { form: 'xlsx', name: 'Workbook' },
  { form: 'csv', name: 'CSV' },
  { form: 'json', name: 'JSON' },
  { form: 'parquet', name: 'Parquet' },
]
function fileOf(form: string) {
  const query = new URLSearchParams({ report: props.report, form })
  for (const [k, v] of Object.entries(props.asked)) if (v) query.set(k, v)
  return `/api/reports/file?${query}`
}
const print = () => window.print()
</script>

<template>
  <Menu as="div" class="relative ml-auto print:hidden">
    <MenuButton class="button"><ArrowDownTrayIcon class="size-4" aria-hidden="true" />Export</MenuButton>
    <MenuItems
      class="absolute right-0 z-20 mt-1 w-40 rounded border border-line bg-card py-1 shadow-lg focus:outline-none"
    >
      <MenuItem v-for="f in forms" :key="f.form" v-slot="{ active }">
        <a
          :href="fileOf(f.form)"
          download
          class="block px-3 py-1.5 text-ink no-underline"
          :class="active ? 'bg-tide-soft' : ''"
          >{{ f.name }}</a
        >
      </MenuItem>
      <MenuItem v-slot="{ active }">
        <button class="block w-full px-3 py-1.5 text-left" :class="active ? 'bg-tide-soft' : ''" @click="print">
          Print
        </button>
      </MenuItem>
    </MenuItems>
  </Menu>
</template>
