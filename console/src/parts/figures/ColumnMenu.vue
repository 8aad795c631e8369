<script setup lang="ts">
import { Popover, PopoverButton, PopoverPanel } from '@headlessui/vue'
import { EllipsisVerticalIcon } from '@heroicons/vue/20/solid'
import { computed, reactive, watch } from 'vue'

import type { Schemas } from '@/lib/api'
import { kinds, plainLook, scaleOf, yards, type Kind, type Look, type Yard } from '@/lib/looks'
import { useSession } from '@/lib/session'

/** What there is to a column: the rules that mark it, how it is drawn, where it stands. */
const props = defineProps<{
  column: Schemas['TableColumn']
  look: Look
  dials: Schemas['Dial'][]
  /** Columns of one measure are drawn alike, and stay in their order. */
  alone: boolean
  first: boolean
  last: boolean
}>()
const emit = defineEmits<{ look: [look: Look]; move: [by: -1 | 1]; hide: [] }>()
const { may } = useSession()

const points = reactive({ low: '', middle: '', high: '' })
watch(
  () => props.look,
  (l) => Object.assign(points, { low: l.low, middle: l.middle, high: l.high }),
  { immediate: true },
)
const tried = computed<Look>(() => ({ ...props.look, ...points }))
const scale = computed(() => (props.column.spread ? scaleOf(tried.value, props.column.spread, props.dials) : undefined))
const fault = computed(() => (scale.value && 'fault' in scale.value ? scale.value.fault : ''))
const keep = () => !fault.value && emit('look', tried.value)
const choices = computed(() =>
  (Object.keys(kinds) as Kind[]).filter((k) => k !== 'line' || !props.alone).map((k) => ({ value: k, text: kinds[k] })),
)
</script>

<template>
  <Popover v-slot="{ close }" class="relative inline-block align-middle">
    <PopoverButton
      class="inline-flex size-6 items-center justify-center rounded hover:bg-tide-soft"
      :aria-label="`Column ${column.title} ${column.label}`"
    >
      <EllipsisVerticalIcon class="size-4" aria-hidden="true" />
    </PopoverButton>
    <PopoverPanel
      class="absolute right-0 z-30 mt-1 w-80 space-y-3 rounded border border-line bg-card p-3 text-left text-base font-normal whitespace-normal"
    >
      <section v-if="column.rules.length" aria-label="Rules that mark this column">
        <p class="text-small font-semibold text-muted">Marked by</p>
        <ul>
          <li v-for="r in column.rules" :key="r.rule" class="flex gap-2 py-0.5">
            <span class="figures w-8 shrink-0 text-right">{{ r.count }}</span>
            <RouterLink class="text-tide underline" :to="{ path: '/rules', query: { rule: r.rule } }">{{
              r.title
            }}</RouterLink>
            <RouterLink
              v-if="may('putDraft')"
              class="ml-auto shrink-0 text-small underline"
              :to="{ path: '/rules/draft', query: { rule: r.rule, period: column.period } }"
              >change</RouterLink
            >
          </li>
        </ul>
      </section>
      <p v-else class="text-muted">No rule marks this column here.</p>
      <label class="block"
        ><span class="text-small font-semibold text-muted">Drawn as</span>
        <select
          class="field mt-0.5 block w-full"
          :value="look.kind"
          @change="
            (e) => $emit('look', { ...plainLook((e.target as HTMLSelectElement).value as Kind), yard: look.yard })
          "
        >
          <option v-for="c in choices" :key="c.value" :value="c.value">{{ c.text }}</option>
        </select></label
      >
      <label v-if="look.kind === 'bars' && !alone" class="block"
        ><span class="text-small font-semibold text-muted">Compared with</span>
        <select
          class="field mt-0.5 block w-full"
          :value="look.yard"
          @change="(e) => $emit('look', { ...look, yard: (e.target as HTMLSelectElement).value as Yard })"
        >
          <option v-for="(text, y) in yards" :key="y" :value="y">{{ text }}</option>
        </select></label
      >
      <form v-if="look.kind === 'value'" class="space-y-1" @submit.prevent="keep">
        <div class="grid grid-cols-3 gap-2">
          <label
            ><span class="text-small text-muted">From</span
            ><input v-model="points.low" class="field w-full" placeholder="p5" @change="keep"
          /></label>
          <label
            ><span class="text-small text-muted">Middle</span
            ><input v-model="points.middle" class="field w-full" placeholder="none" @change="keep"
          /></label>
          <label
            ><span class="text-small text-muted">To</span
            ><input v-model="points.high" class="field w-full" placeholder="p95" @change="keep"
          /></label>
        </div>
        <p v-if="fault" role="alert" class="text-small text-red">{{ fault }}</p>
        <p v-else class="text-small text-muted">
          Numbers, percentages, p5, p95, low, high, median, mean or a dial. With a middle it has two hues.
        </p>
      </form>
      <p v-if="!alone" class="flex flex-wrap gap-2">
        <button type="button" class="button" :disabled="first" @click="$emit('move', -1)">Move left</button>
        <button type="button" class="button" :disabled="last" @click="$emit('move', 1)">Move right</button>
        <button
          type="button"
          class="button"
          :disabled="first && last"
          @click="
            () => {
              $emit('hide')
              close()
            }
          "
        >
          Hide
        </button>
      </p>
      <RouterLink class="block text-small underline" :to="{ path: '/rules/measures', query: { period: column.period } }"
        >All measures and their rules</RouterLink
      >
    </PopoverPanel>
  </Popover>
</template>
