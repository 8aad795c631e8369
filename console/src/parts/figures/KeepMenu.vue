<script setup lang="ts">
import { Popover, PopoverButton, PopoverPanel } from '@headlessui/vue'
import { BookmarkIcon } from '@heroicons/vue/20/solid'
import { computed, reactive } from 'vue'

import { keptOf } from '@/lib/kept'
import { useKept } from '@/lib/keptlists'
import type { FigureTable } from '@/lib/table'

/** Keeps the table that is shown by name; one that is kept already can be kept again as it is now. */
const props = defineProps<{ of: FigureTable }>()
const { tables, save, mine } = useKept()
const { kept: number, zone } = props.of.words
const here = computed(() => tables.data.value?.find((t) => String(t.id) === number.value))
const form = reactive({ name: '', above: '', shared: false })
function fill() {
  const own = here.value && mine(here.value) ? here.value : undefined
  Object.assign(form, {
    name: own?.name ?? '',
    above: here.value?.table?.text_above ?? '',
    shared: own?.shared ?? false,
  })
  save.reset()
}
const same = computed(() =>
  tables.data.value?.some((t) => mine(t) && t.name.toLowerCase() === form.name.trim().toLowerCase()),
)
async function keep(close: () => void) {
  const body = {
    name: form.name,
    shared: form.shared,
    of: 'tables' as const,
    table: keptOf(props.of, form.above.trim()),
  }
  const kept = await save.mutateAsync(body).catch(() => undefined) // the error stands in the form
  if (!kept) return
  number.value = String(kept.id)
  close()
}
</script>

<template>
  <Popover class="relative">
    <PopoverButton class="button" @click="fill"><BookmarkIcon class="size-4" aria-hidden="true" />Keep</PopoverButton>
    <PopoverPanel
      v-slot="{ close }"
      class="absolute right-0 z-30 mt-1 w-[min(24rem,90vw)] rounded border border-line bg-card p-3 shadow-lg"
    >
      <form class="space-y-3" @submit.prevent="keep(close)">
        <label class="block"
          >Name
          <input v-model="form.name" class="field mt-0.5 w-full" required maxlength="80" />
        </label>
        <label class="block"
          >Text above it
          <textarea v-model="form.above" class="field mt-0.5 w-full" rows="2" maxlength="2000"></textarea>
        </label>
        <label class="block"><input v-model="form.shared" type="checkbox" /> Shared: all see it</label>
        <p class="text-small text-muted">
          It shows the period that is chosen when it is opened{{
            zone ? ', but for its days, which are kept' : ''
          }}.<template v-if="same"> Yours of this name becomes this one.</template>
        </p>
        <p v-if="save.error.value" role="alert" class="text-red">{{ save.error.value.message }}</p>
        <button class="button-main" :disabled="save.isPending.value">
          {{ same ? 'Keep it as it is now' : 'Keep' }}
        </button>
      </form>
    </PopoverPanel>
  </Popover>
</template>
