<script setup lang="ts">
import { Popover, PopoverButton, PopoverPanel } from '@headlessui/vue'
import { AdjustmentsHorizontalIcon } from '@heroicons/vue/20/solid'
import { useMutation, useQueryClient } from '@tanstack/vue-query'
import { computed, onUnmounted, ref, watch } from 'vue'
import { useRouter } from 'vue-router'

import { api, need, type Schemas } from '@/lib/api'
import { countWords } from '@/lib/format'
import { refresh } from '@/lib/queries'
import { useSession } from '@/lib/session'
import type { FigureTable } from '@/lib/table'
import { readTrial, writeTrial } from '@/lib/trial'

/** Other values of dials, tried on the table that is shown: nothing is changed for others. */
const props = defineProps<{ of: FigureTable }>()
const { dials: word } = props.of.words
const { may } = useSession()
const router = useRouter()
const queries = useQueryClient()

// What the hand does at once; the table follows a moment after.
const values = ref<Record<string, string>>({})
watch(word, (w) => (values.value = readTrial(w)), { immediate: true })
let rest: ReturnType<typeof setTimeout> | undefined
function turn(d: Schemas['Dial'], to: string) {
  values.value = { ...values.value, [d.name]: to.trim() }
  clearTimeout(rest)
  rest = setTimeout(() => (word.value = writeTrial(values.value, props.of.dials.value)), 120)
}
onUnmounted(() => clearTimeout(rest))
const valueOf = (d: Schemas['Dial']) => values.value[d.name] || d.value
const percent = (d: Schemas['Dial']) => d.value.endsWith('%')
const plain = (s?: string) => (s === undefined ? undefined : Number(s.replace('%', '')))
const tried = computed(() => Object.keys(readTrial(word.value)).length)
const unlike = computed(() => props.of.table.value?.marking?.unlike)

/** Turns the dials in one's draft, or in one that begins from what is published; what else it says stays. */
const draft = useMutation({
  mutationFn: async () => {
    const own = await need(api.GET('/api/draft'))
    let text = own.text
    for (const [name, value] of Object.entries(readTrial(word.value)))
      text = (await need(api.POST('/api/rulebook/dial', { body: { text, name, value } }))).text
    await need(api.PUT('/api/draft', { body: { text, based_on: own.based_on, version: own.version } }))
    await refresh(queries, 'draft')
  },
  onSuccess: () => router.push('/rules/draft'),
})
// Where the page does not come over HTTPS, browsers let nothing be copied: the address bar has it.
const mayCopy = !!navigator.clipboard
const copied = ref(false)
async function copy() {
  await navigator.clipboard.writeText(location.href)
  copied.value = true
}
watch(word, () => (copied.value = false))
</script>

<template>
  <Popover v-if="of.dials.value.length" class="relative">
    <PopoverButton class="button" :class="tried ? 'border-tide text-tide' : ''">
      <AdjustmentsHorizontalIcon class="size-4" aria-hidden="true" />{{
        tried ? `Trying ${countWords(tried, 'dial')}` : 'Try dials'
      }}
    </PopoverButton>
    <PopoverPanel
      class="absolute z-30 mt-1 max-h-[70vh] w-[min(26rem,90vw)] overflow-auto rounded border border-line bg-card p-3 shadow-lg"
    >
      <p class="text-small text-muted">
        Marks and figures follow here alone, as the published rules would say. Nothing is changed.
      </p>
      <ul class="mt-2 space-y-2">
        <li v-for="d in of.dials.value" :key="d.name">
          <div class="flex items-center justify-between gap-2">
            <span class="font-mono" :title="`Used by: ${d.uses.join(', ') || 'nothing'}`">{{ d.name }}</span>
            <span class="flex items-center gap-2">
              <span v-if="valueOf(d) !== d.value" class="text-small text-muted">published {{ d.value }}</span>
              <input
                :value="valueOf(d)"
                class="field w-20 font-mono"
                :aria-label="`${d.name}, written`"
                @change="(e) => turn(d, (e.target as HTMLInputElement).value)"
              />
            </span>
          </div>
          <input
            v-if="d.from && d.to"
            type="range"
            class="w-full accent-[var(--tide)]"
            :aria-label="`Value of ${d.name}`"
            :aria-valuetext="valueOf(d)"
            :min="plain(d.from)"
            :max="plain(d.to)"
            :step="percent(d) ? 0.1 : 0.05"
            :value="plain(valueOf(d))"
            @input="(e) => turn(d, (e.target as HTMLInputElement).value + (percent(d) ? '%' : ''))"
          />
        </li>
      </ul>
      <p v-if="of.first.error.value && tried" role="alert" class="mt-2 text-red">{{ of.first.error.value.message }}</p>
      <template v-if="tried">
        <p v-if="unlike !== undefined" role="status" class="mt-2 text-small">
          {{ countWords(unlike, 'mark') }} unlike what is on record.
        </p>
        <p class="mt-2 flex flex-wrap gap-2">
          <button class="button" @click="word = ''">As published</button>
          <button v-if="mayCopy" class="button" @click="copy">{{ copied ? 'Link copied' : 'Copy link' }}</button>
          <button v-if="may('putDraft')" class="button" :disabled="draft.isPending.value" @click="draft.mutate()">
            Put into my draft
          </button>
        </p>
        <p v-if="draft.error.value" role="alert" class="mt-1 text-red">{{ draft.error.value.message }}</p>
      </template>
    </PopoverPanel>
  </Popover>
</template>
