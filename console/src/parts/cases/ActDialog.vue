<script setup lang="ts">
import { Dialog, DialogPanel, DialogTitle } from '@headlessui/vue'
import { useQuery } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'

import { asking, casesWords, useActs, type Act } from '@/lib/acts'
import { api, need } from '@/lib/api'
import { useRulebook } from '@/lib/rulebook'
import DateField from '@/parts/ui/DateField.vue'
import FindingForm from '@/parts/cases/FindingForm.vue'

/** What an act on cases takes beside the cases: whom, until when, why. */
const { book, desk } = useRulebook()
const { act } = useActs()
const open = computed(() => !!asking.value)
const given = ref<Partial<Act>>({})
watch(
  asking,
  (a) => {
    given.value = a?.do === 'settle' && a.cases.every((c) => c.cleared) ? { finding: 'cleared' } : {}
    act.reset()
  },
  { immediate: true },
)
const people = useQuery({ queryKey: ['people'], queryFn: () => need(api.GET('/api/people')), enabled: open })
const desks = computed(() => [...new Set(asking.value?.cases.map((c) => c.desk).filter((d) => d !== undefined))])
/** Who can be handed all of them: members of all their desks, and leads. */
const members = computed(() =>
  (people.data.value ?? []).filter(
    (p) => !p.closed && (p.role === 'lead' || (p.role === 'reviewer' && desks.value.every((d) => p.desks.includes(d)))),
  ),
)
const others = computed(() => (people.data.value ?? []).filter((p) => !p.closed))

const heads: Record<Act['do'], string> = {
  take: 'Take',
  return: 'Returned to the desk:',
  'hand over': 'Hand over',
  ask: 'Ask',
  comment: 'Comment on',
  park: 'Park',
  resume: 'Take up again',
  settle: 'Settle',
  reopen: 'Open again',
}
const count = computed(() => casesWords(asking.value?.cases ?? []))
const textLabel = computed(
  () =>
    ({
      ask: 'What is asked',
      comment: 'Comment',
      reopen: 'Why it is opened again',
      settle: 'Note for later readers',
    })[asking.value?.do as string] ?? 'Why',
)
const ready = computed(() => {
  const g = given.value
  switch (asking.value?.do) {
    case 'hand over':
      return !!g.person !== !!g.desk
    case 'ask':
      return !!g.person && !!g.text?.trim()
    case 'park':
      return !!g.until !== !!g.feed && !!g.text?.trim()
    case 'settle':
      return !!g.finding
    default:
      return !!g.text?.trim()
  }
})
function send() {
  const a = asking.value
  if (!a || !ready.value) return
  act.mutate({ ...given.value, do: a.do, cases: a.cases.map(({ id, version }) => ({ id, version })) })
}
const set = (part: Partial<Act>) => (given.value = { ...given.value, ...part })
const valueOf = (e: Event) => (e.target as HTMLInputElement).value || undefined
</script>

<template>
  <Dialog :open="open" class="relative z-30" @close="asking = undefined">
    <div class="fixed inset-0 bg-[#0008]" aria-hidden="true"></div>
    <div class="fixed inset-0 grid place-items-center overflow-y-auto p-4">
      <DialogPanel v-if="asking" class="card w-full max-w-lg p-5">
        <form class="space-y-3" @submit.prevent="send">
          <DialogTitle class="text-lead font-semibold">
            {{ asking.do === 'ask' ? `Ask about ${count}` : `${heads[asking.do]} ${count}` }}
          </DialogTitle>
          <template v-if="asking.do === 'hand over'">
            <label class="block text-small text-muted"
              >To a member of the desk
              <select
                class="field mt-0.5 w-full"
                :value="given.person ?? ''"
                @change="(e) => set({ person: valueOf(e), desk: undefined })"
              >
                <option value="">Choose a person …</option>
                <option v-for="p in members" :key="p.name" :value="p.name">{{ p.display_name }}</option>
              </select>
            </label>
            <label class="block text-small text-muted"
              >or to another desk
              <select
                class="field mt-0.5 w-full"
                :value="given.desk ?? ''"
                @change="(e) => set({ desk: valueOf(e), person: undefined })"
              >
                <option value="">none</option>
                <option v-for="d in book?.desks.filter((d) => !desks.includes(d.name))" :key="d.name" :value="d.name">
                  {{ desk(d.name) }}
                </option>
              </select>
            </label>
          </template>
          <label v-if="asking.do === 'ask'" class="block text-small text-muted"
            >Ask (the case stays with its owner)
            <select
              class="field mt-0.5 w-full"
              :value="given.person ?? ''"
              @change="(e) => set({ person: valueOf(e) })"
            >
              <option value="">Choose a person …</option>
              <option v-for="p in others" :key="p.name" :value="p.name">{{ p.display_name }}</option>
            </select>
          </label>
          <div v-if="asking.do === 'park'" class="flex flex-wrap items-end gap-3 text-small text-muted">
            <span class="flex flex-col gap-0.5"
              >Until
              <DateField
                label="Until"
                :model-value="given.until"
                @update:model-value="(d) => set({ until: d || undefined, feed: undefined })"
            /></span>
            <label class="flex flex-col gap-0.5"
              >or until new lines of
              <select
                class="field"
                :value="given.feed ?? ''"
                @change="(e) => set({ feed: valueOf(e), until: undefined })"
              >
                <option value="">no feed</option>
                <option v-for="f in book?.feeds" :key="f.name" :value="f.name">{{ f.title }}</option>
              </select>
            </label>
          </div>
          <FindingForm
            v-if="asking.do === 'settle'"
            :model-value="given"
            :cleared="asking.cases.every((c) => !!c.cleared)"
            @update:model-value="set"
          />
          <label class="block text-small text-muted"
            >{{ textLabel }}
            <textarea
              rows="2"
              maxlength="4000"
              class="field mt-0.5 h-auto w-full py-1"
              :value="given.text ?? ''"
              @input="(e) => set({ text: valueOf(e) })"
              @keydown.ctrl.enter="send"
            ></textarea>
          </label>
          <p v-if="act.error.value" role="alert" class="text-red">{{ act.error.value.message }}</p>
          <div class="flex justify-end gap-2">
            <button type="button" class="button" @click="asking = undefined">Cancel</button>
            <button class="button-main" :disabled="!ready || act.isPending.value">
              {{ asking.do === 'ask' ? 'Ask' : `${heads[asking.do]} ${count}`
              }}{{ asking.do === 'settle' && given.finding ? ` as ${given.finding}` : '' }}
            </button>
          </div>
        </form>
      </DialogPanel>
    </div>
  </Dialog>
</template>
