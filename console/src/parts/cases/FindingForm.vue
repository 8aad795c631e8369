<script setup lang="ts">
import {
  Disclosure,
  DisclosureButton,
  DisclosurePanel,
  RadioGroup,
  RadioGroupLabel,
  RadioGroupOption,
} from '@headlessui/vue'
import { ChevronRightIcon } from '@heroicons/vue/20/solid'
import { computed } from 'vue'

import type { Act } from '@/lib/acts'
import type { Schemas } from '@/lib/api'
import { countWords, monthWords } from '@/lib/format'
import { useRulebook } from '@/lib/rulebook'
import DateField from '@/parts/ui/DateField.vue'

/** A finding, by mouse or by the keys 1 to 4, with a reason of the rulebook and amounts. */
const props = defineProps<{ modelValue: Partial<Act>; cleared?: boolean; flags?: Schemas['Exception'][] }>()
const emit = defineEmits<{ 'update:modelValue': [Partial<Act>] }>()
const { book } = useRulebook()
const always = [
  { value: 'confirmed', text: 'Confirmed', means: 'It is as the rule says; something is done about it.' },
  { value: 'explained', text: 'Explained', means: 'It is true, and there is a good reason.' },
  { value: 'data fault', text: 'Data fault', means: 'The figures are wrong.' },
  { value: 'rule fault', text: 'Rule fault', means: 'The rule should not have flagged this.' },
] as const
const whenCleared = {
  value: 'cleared',
  text: 'Cleared',
  means: 'Nothing in it is flagged any more; nothing left to review.',
} as const
const findings = computed(() => (props.cleared ? [...always, whenCleared] : always))
const reasons = computed(() =>
  (book.value?.reasons ?? []).filter((r) => !r.for.length || r.for.includes(props.modelValue.finding ?? '')),
)
const apart = (flag: number) => props.modelValue.flag_findings?.find((f) => f.exception === flag)?.finding
/** Whether the case or one of its flags is settled with a finding. */
const finds = (what: Act['finding'], own = props.modelValue.finding) =>
  own === what || !!props.modelValue.flag_findings?.some((f) => f.finding === what)
function setApart(flag: number, finding?: string) {
  const others = (props.modelValue.flag_findings ?? []).filter((f) => f.exception !== flag)
  const all = finding ? [...others, { exception: flag, finding: finding as Schemas['FlagFinding']['finding'] }] : others
  const some = (what: Act['finding']) => props.modelValue.finding === what || all.some((f) => f.finding === what)
  emit('update:modelValue', {
    flag_findings: all.length ? all : undefined,
    feed: some('data fault') ? props.modelValue.feed : undefined,
    snooze: some('explained') ? props.modelValue.snooze : undefined,
  })
}
function choose(finding: Act['finding']) {
  const fits = book.value?.reasons.find((r) => r.name === props.modelValue.reason)?.for
  emit('update:modelValue', {
    finding,
    flag_findings: props.modelValue.flag_findings?.filter((f) => f.finding !== finding),
    feed: finds('data fault', finding) ? props.modelValue.feed : undefined,
    snooze: finds('explained', finding) ? props.modelValue.snooze : undefined,
    reason: fits?.length && !fits.includes(finding!) ? undefined : props.modelValue.reason,
  })
}
function press(e: KeyboardEvent) {
  const at = findings.value[Number(e.key) - 1]
  if (!at || e.target instanceof HTMLInputElement || e.target instanceof HTMLTextAreaElement) return
  e.preventDefault()
  choose(at.value)
}
function snooze(part: Partial<NonNullable<Act['snooze']>>) {
  const { until, ...more } = { ...props.modelValue.snooze, ...part }
  emit('update:modelValue', { snooze: until ? { until, all: false, ...more } : undefined })
}
const valueOf = (e: Event) => (e.target as HTMLInputElement).value.trim() || undefined
</script>

<template>
  <div class="space-y-3" @keydown="press">
    <RadioGroup :model-value="modelValue.finding" @update:model-value="choose">
      <RadioGroupLabel as="span" class="text-small font-semibold text-muted">Finding</RadioGroupLabel>
      <div class="mt-1 grid gap-1.5 sm:grid-cols-2">
        <RadioGroupOption v-for="(f, i) in findings" :key="f.value" v-slot="{ checked }" :value="f.value" as="template">
          <div
            class="cursor-pointer rounded border px-2.5 py-1.5"
            :class="checked ? 'border-tide bg-tide-soft' : 'border-line hover:border-tide'"
          >
            <span class="flex font-semibold"
              >{{ f.text
              }}<span class="ml-auto font-mono text-small font-normal text-muted" aria-hidden="true">{{
                i + 1
              }}</span></span
            >
            <span class="block text-small text-muted">{{ f.means }}</span>
          </div>
        </RadioGroupOption>
      </div>
    </RadioGroup>
    <Disclosure v-if="modelValue.finding && flags && flags.length > 1" v-slot="{ open }">
      <DisclosureButton class="flex items-center text-small text-muted hover:text-tide">
        <ChevronRightIcon class="size-4" :class="open ? 'rotate-90' : ''" aria-hidden="true" />
        {{
          modelValue.flag_findings?.length
            ? `${countWords(modelValue.flag_findings.length, 'flag')} with another finding`
            : `For all its ${flags.length} flags`
        }}
      </DisclosureButton>
      <DisclosurePanel as="ul" class="mt-1 space-y-1">
        <li v-for="f in flags" :key="f.id">
          <label class="flex flex-wrap items-center justify-between gap-x-2 text-small"
            ><span>{{ f.rule_title }}, {{ monthWords(f.period) }}</span>
            <select
              class="field"
              :value="apart(f.id) ?? ''"
              @change="(e) => setApart(f.id, (e.target as HTMLSelectElement).value)"
            >
              <option value="">{{ modelValue.finding }}</option>
              <option v-for="o in always.filter((o) => o.value !== modelValue.finding)" :key="o.value" :value="o.value">
                {{ o.value }}
              </option>
            </select></label
          >
        </li>
      </DisclosurePanel>
    </Disclosure>
    <div class="grid grid-cols-[minmax(0,1fr)_auto_auto] items-end gap-2 text-small text-muted">
      <label v-if="book?.reasons.length" class="block"
        >Reason
        <select
          class="field mt-0.5 w-full"
          :value="modelValue.reason ?? ''"
          :disabled="!modelValue.finding"
          @change="(e) => emit('update:modelValue', { reason: valueOf(e) })"
        >
          <option value="">none stated</option>
          <option v-for="r in reasons" :key="r.name" :value="r.name">{{ r.title }}</option>
        </select>
      </label>
      <span v-else></span>
      <label class="flex flex-col"
        >Recovered<input
          class="field figures mt-0.5 w-24 text-right"
          inputmode="decimal"
          :value="modelValue.recovered ?? ''"
          @change="(e) => emit('update:modelValue', { recovered: valueOf(e) })"
      /></label>
      <label class="flex flex-col"
        >Written off<input
          class="field figures mt-0.5 w-24 text-right"
          inputmode="decimal"
          :value="modelValue.written_off ?? ''"
          @change="(e) => emit('update:modelValue', { written_off: valueOf(e) })"
      /></label>
    </div>
    <label v-if="finds('data fault')" class="block text-small text-muted"
      >The fault lies in
      <select
        class="field mt-0.5 w-full"
        :value="modelValue.feed ?? ''"
        @change="(e) => emit('update:modelValue', { feed: valueOf(e) })"
      >
        <option value="">all feeds its rules use</option>
        <option v-for="f in book?.feeds" :key="f.name" :value="f.name">{{ f.title }}</option>
      </select>
    </label>
    <div v-if="finds('explained')" class="flex flex-wrap items-end gap-x-3 gap-y-1 text-small text-muted">
      <span class="flex flex-col gap-0.5"
        >Snooze until
        <DateField
          label="Snooze until"
          :model-value="modelValue.snooze?.until"
          @update:model-value="(until) => snooze({ until: until || undefined })"
      /></span>
      <template v-if="modelValue.snooze">
        <label class="flex flex-col gap-0.5"
          >or until it is worse by
          <select
            class="field"
            :value="modelValue.snooze.worse ?? ''"
            @change="(e) => snooze({ worse: valueOf(e) ? Number(valueOf(e)) : undefined })"
          >
            <option value="">at any size</option>
            <option value="0">anything</option>
            <option value="0.25">a quarter</option>
            <option value="0.5">half</option>
            <option value="1">twice as bad</option>
          </select>
        </label>
        <label class="pb-1.5"
          ><input
            type="checkbox"
            class="mr-1.5"
            :checked="modelValue.snooze.all"
            @change="(e) => snooze({ all: (e.target as HTMLInputElement).checked })"
          />by all rules</label
        >
      </template>
    </div>
  </div>
</template>
