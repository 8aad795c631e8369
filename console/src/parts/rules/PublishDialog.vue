<script setup lang="ts">
import { Dialog, DialogPanel, DialogTitle } from '@headlessui/vue'
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'

import { api, need, Refusal } from '@/lib/api'
import { usePeriod } from '@/lib/period'
import RoutingView from '@/parts/rules/RoutingView.vue'
import TextField from '@/parts/ui/TextField.vue'
import { refresh } from '@/lib/queries'

/** Publishing: what would change, in words and as text, for how many; and why. */
const props = defineProps<{ open: boolean; text: string; basedOn: number; advice: string[] }>()
const emit = defineEmits<{ close: []; published: [revision: number]; rebase: [to: number] }>()
const queries = useQueryClient()
const { period } = usePeriod()
const note = ref('')
const comparison = useQuery({
  queryKey: computed(() => ['compare', props.text]),
  queryFn: () => need(api.POST('/api/rulebook/compare', { body: { text: props.text } })),
  enabled: computed(() => props.open),
})
const effect = useQuery({
  queryKey: computed(() => ['rehearse-book', props.text, period.value]),
  queryFn: () => need(api.POST('/api/rehearsals/book', { body: { text: props.text, period: period.value! } })),
  enabled: computed(() => props.open && !!period.value),
})
const publish = useMutation({
  mutationFn: () =>
    need(
      api.POST('/api/revisions', {
        body: { text: props.text, note: note.value.trim(), based_on: props.basedOn, force: false },
      }),
    ),
  onSuccess: async (r) => {
    note.value = ''
    emit('published', r.number)
    await refresh(queries, 'all')
  },
})
watch(
  () => props.open,
  () => publish.reset(),
)
const overtaken = computed(() => {
  const e = publish.error.value
  return e instanceof Refusal && e.problem.type === 'urn:oskel:overtaken' ? e.problem : undefined
})
const newest = useQuery({
  queryKey: ['rulebook', 'newest'],
  queryFn: () => need(api.GET('/api/rulebook')),
  enabled: computed(() => !!overtaken.value),
})
const changes = computed(
  () => effect.data.value?.rules.filter((r) => r.turned.flagged || r.turned.no_longer || r.turned.regraded) ?? [],
)
</script>

<template>
  <Dialog :open="open" class="relative z-30" @close="$emit('close')">
    <div class="fixed inset-0 bg-[#0008]" aria-hidden="true"></div>
    <div class="fixed inset-0 grid place-items-center overflow-y-auto p-4">
      <DialogPanel class="card w-full max-w-2xl p-5">
        <DialogTitle class="text-lead font-semibold">Publish this draft?</DialogTitle>
        <ul v-if="comparison.data.value?.words.length" class="mt-2 list-disc pl-5">
          <li v-for="w in comparison.data.value.words" :key="w">{{ w }}</li>
        </ul>
        <p v-else-if="comparison.data.value" class="mt-2 text-muted">
          No differences in words from the published revision.
        </p>
        <details v-if="comparison.data.value?.text" class="mt-2">
          <summary class="cursor-pointer text-small text-muted">Line by line</summary>
          <pre class="mt-1 max-h-60 overflow-auto rounded bg-sunk p-2 text-small" tabindex="0">{{
            comparison.data.value.text
          }}</pre>
        </details>
        <p v-if="effect.data.value" class="mt-3">
          <b class="figures">{{ effect.data.value.after }}</b> flags by all rules together;
          <b class="figures">{{ effect.data.value.before }}</b> are now.
          <span v-for="r in changes" :key="r.rule + r.level" class="block text-small text-muted">
            {{ r.title }}: {{ r.turned.flagged }} newly, {{ r.turned.no_longer }} no longer,
            {{ r.turned.regraded }} regraded
          </span>
          <span v-for="a in [...effect.data.value.advice, ...advice]" :key="a" class="block text-small text-amber"
            >Warning: {{ a }}.</span
          >
        </p>
        <RoutingView v-if="period" class="mt-3" :text="text" :period="period" />
        <div v-if="overtaken" role="alert" class="mt-3 rounded border border-amber p-3">
          <p>{{ overtaken.detail }}</p>
          <p class="mt-2 text-small">Review its changes, merge them into your draft, then confirm.</p>
          <button v-if="newest.data.value" class="button mt-2" @click="$emit('rebase', newest.data.value!.revision)">
            I have merged revision {{ newest.data.value.revision }}
          </button>
        </div>
        <p v-else-if="publish.error.value" role="alert" class="mt-3 text-red">{{ publish.error.value.message }}</p>
        <div class="mt-3"><TextField v-model="note" label="Reason for the change" maxlength="500" /></div>
        <div class="mt-4 flex justify-end gap-2">
          <button class="button" @click="$emit('close')">Cancel</button>
          <button class="button-main" :disabled="!note.trim() || publish.isPending.value" @click="publish.mutate()">
            Publish
          </button>
        </div>
      </DialogPanel>
    </div>
  </Dialog>
</template>
