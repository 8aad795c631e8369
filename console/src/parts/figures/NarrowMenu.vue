<script setup lang="ts">
import { Popover, PopoverButton, PopoverPanel } from '@headlessui/vue'
import { FunnelIcon } from '@heroicons/vue/20/solid'
import { computed, reactive, watch } from 'vue'

import { useRulebook } from '@/lib/rulebook'
import type { FigureTable } from '@/lib/table'

/** Only some rows, or figures of some lines alone: two things, said apart. */
const props = defineProps<{ of: FigureTable }>()
const { rows, where } = props.of.words
const { book } = useRulebook()
const typed = reactive({ rows: '', where: '' })
watch([rows, where], ([r, w]) => Object.assign(typed, { rows: r, where: w }), { immediate: true })
const on = computed(() => [props.of.question.value.rows, where.value].filter(Boolean).length)
const attributes = computed(() => {
  const kinds = (book.value?.kinds ?? []).map((k) => ({ name: k.name, all: k.attributes.map((a) => `${k.name}.${a}`) }))
  const own = kinds.filter((k) => props.of.sides.value.some((s) => s.split('.')[0] === k.name))
  return {
    rows: [...own.flatMap((k) => k.all), ...own.map((k) => `${k.name}.name`)],
    lines: kinds.flatMap((k) => k.all),
  }
})
const keep = () => props.of.change({ rows: typed.rows.trim() || undefined, where: typed.where.trim() || undefined })
const clear = () => props.of.change({ rows: undefined, where: undefined })
</script>

<template>
  <Popover class="relative">
    <PopoverButton class="button" :class="on ? 'border-tide text-tide' : ''">
      <FunnelIcon class="size-4" aria-hidden="true" />{{ on ? `Narrowed by ${on}` : 'Narrow' }}
    </PopoverButton>
    <PopoverPanel
      v-slot="{ close }"
      class="absolute z-30 mt-1 w-[min(28rem,90vw)] rounded border border-line bg-card p-3 shadow-lg"
    >
      <form
        class="space-y-3"
        @submit.prevent="
          () => {
            keep()
            close()
          }
        "
      >
        <label v-if="of.words.over.value !== 'rows'" class="block"
          >Only these rows
          <input
            v-model="typed.rows"
            class="field mt-0.5 w-full font-mono text-small"
            :placeholder="`${attributes.rows[0] ?? 'rep.name'} is &quot;…&quot; and revenue above 1000`"
          />
          <span class="text-small text-muted"
            >Figures stay what they are, and the total is of all. Ask {{ attributes.rows.join(', ') || 'measures' }}, or
            any measure.</span
          ></label
        >
        <label class="block"
          >Figures of these lines alone
          <input
            v-model="typed.where"
            class="field mt-0.5 w-full font-mono text-small"
            :placeholder="`${attributes.lines.at(-1) ?? 'customer.category'} is &quot;…&quot;`"
          />
          <span class="text-small text-muted"
            >Figures, ranks and marks are computed again from them; targets stay whole. Ask
            {{ attributes.lines.join(', ') }}, or a column of the lines.</span
          ></label
        >
        <p class="flex gap-2">
          <button class="button">Narrow</button>
          <button
            v-if="on"
            type="button"
            class="button"
            @click="
              () => {
                clear()
                close()
              }
            "
          >
            Show all again
          </button>
        </p>
      </form>
    </PopoverPanel>
  </Popover>
</template>
