<script setup lang="ts">
import { PlusIcon } from '@heroicons/vue/20/solid'
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'

import { api, need } from '@/lib/api'
import { useDraft, type Definition } from '@/lib/draft'
import { countWords } from '@/lib/format'
import { usePeriod } from '@/lib/period'
import { useQueryWord } from '@/lib/query'
import { useRulebook } from '@/lib/rulebook'
import PublishDialog from '@/parts/PublishDialog.vue'
import RehearsalView from '@/parts/RehearsalView.vue'
import RuleForm from '@/parts/RuleForm.vue'
import RuleTabs from '@/parts/RuleTabs.vue'
import StateNote from '@/parts/StateNote.vue'

const router = useRouter()
const { period } = usePeriod()
const { book, grades } = useRulebook()
const draft = useDraft()
const { text, check, sound, settled } = draft
const chosen = useQueryWord('rule')
const as = useQueryWord('as') // '' by form, 'file' the text

const report = computed(() => check.data.value)
const rules = computed(() => report.value?.rules ?? [])
const names = computed(() => report.value?.names ?? [])
// Titles as last known: while something is wrong the check gives names alone.
const titles = ref<Record<string, string>>({})
watch(rules, (all) => all.forEach((r) => (titles.value[r.name] = r.title)), { immediate: true })
const name = computed(() => (names.value.includes(chosen.value) ? chosen.value : (names.value[0] ?? '')))

// The form holds a definition of its own, so that one that does not pass the
// check yet is not lost.
const definition = ref<Definition>()
const placed = ref('') // the name under which the definition stands in the text
const writing = ref(0)
watch(
  [name, rules],
  () => {
    const found = rules.value.find((r) => r.name === name.value)?.definition
    if (!found || writing.value) return
    if (placed.value !== name.value || sound.value) {
      definition.value = structuredClone(JSON.parse(JSON.stringify(found)))
      placed.value = name.value
    }
  },
  { immediate: true },
)
const trouble = ref('')
async function write(d: Definition) {
  definition.value = d
  const turn = ++writing.value
  try {
    const out = await need(api.POST('/api/rulebook/rule', { body: { text: text.value, name: placed.value, rule: d } }))
    if (turn !== writing.value) return
    trouble.value = ''
    draft.change(out.text)
    if (d.name && d.name !== placed.value) {
      placed.value = d.name
      chosen.value = d.name
    }
  } catch (e) {
    trouble.value = (e as Error).message
  } finally {
    if (turn === writing.value) writing.value = 0
  }
}
async function turnDial(dial: string, value: string) {
  try {
    const out = await need(api.POST('/api/rulebook/dial', { body: { text: text.value, name: dial, value } }))
    trouble.value = ''
    draft.change(out.text)
  } catch (e) {
    trouble.value = (e as Error).message
  }
}
async function add(from?: Definition) {
  let n = 1
  const base = from?.name ?? 'new-rule'
  let fresh = from ? `${base}-copy` : base
  while (names.value.includes(fresh)) fresh = `${base}-${++n}`
  const measure = report.value?.measures[0]?.name ?? ''
  const d: Definition = from
    ? { ...from, name: fresh, title: `${from.title ?? from.name}, copied` }
    : {
        name: fresh,
        title: 'New rule',
        judges: [book.value?.kinds[0]?.name ?? ''],
        of: measure,
        bands: [{ grade: grades.value.at(-1)?.name, below: '0' }, { rest: true }],
      }
  const out = await need(api.POST('/api/rulebook/rule', { body: { text: text.value, name: fresh, rule: d } }))
  definition.value = d
  placed.value = fresh
  draft.change(out.text)
  chosen.value = fresh
}
async function remove() {
  const out = await need(api.POST('/api/rulebook/rule', { body: { text: text.value, name: placed.value } }))
  placed.value = ''
  definition.value = undefined
  draft.change(out.text)
  chosen.value = ''
}

const faults = computed(() => report.value?.problems ?? [])
const ruleFaults = computed(() => faults.value.filter((f) => f.where?.startsWith(`rules.${placed.value}`)))
const otherFaults = computed(() => faults.value.filter((f) => !ruleFaults.value.includes(f)))
const changed = computed(() => {
  const words = report.value?.differences ?? []
  return (rule: string) => words.find((w) => w.startsWith(`rule ${rule}: `))?.split(': ')[1]
})
const area = ref<HTMLTextAreaElement>()
function goTo(line?: number) {
  if (!line) return
  as.value = 'file'
  requestAnimationFrame(() => {
    const lines = text.value.split('\n')
    const from = lines.slice(0, line - 1).join('\n').length + (line > 1 ? 1 : 0)
    area.value?.focus()
    area.value?.setSelectionRange(from, from + lines[line - 1].length)
    if (area.value) area.value.scrollTop = Math.max(0, (line - 8) * 20)
  })
}
const publishing = ref(false)
async function openPublish() {
  await draft.flush()
  publishing.value = true
}
async function published(revision: number) {
  publishing.value = false
  await draft.drop()
  await router.push({ path: '/rules', query: period.value ? { period: period.value } : {} })
  done.value = revision
}
const done = ref(0)
async function throwAway() {
  placed.value = ''
  await draft.drop()
}
const words = computed(() => rules.value.find((r) => r.name === placed.value)?.words)
const differs = computed(() => (report.value?.differences.length ?? 0) > 0)
</script>

<template>
  <div class="min-w-0 p-4">
    <RuleTabs />
    <StateNote v-if="!draft.query.data.value" :loading="draft.query.isPending.value" :error="draft.query.error.value" />
    <template v-else>
      <div class="mt-3 flex flex-wrap items-center gap-2">
        <h1 class="sr-only">My draft</h1>
        <div class="flex" role="group" aria-label="Written as">
          <button
            class="button rounded-r-none"
            :aria-pressed="as !== 'file'"
            :class="as !== 'file' ? '!border-tide text-tide' : ''"
            @click="as = ''"
          >
            By form
          </button>
          <button
            class="button -ml-px rounded-l-none"
            :aria-pressed="as === 'file'"
            :class="as === 'file' ? '!border-tide text-tide' : ''"
            @click="as = 'file'"
          >
            As a file
          </button>
        </div>
        <p class="text-small text-muted" role="status">
          Based on revision {{ draft.basedOn.value
          }}<template v-if="draft.published.value > draft.basedOn.value"
            >, but revision {{ draft.published.value }} is published by now</template
          >;
          {{ differs ? countWords(report!.differences.length, 'change') : sound ? 'no change yet' : '' }}
          {{ draft.trouble.value ? '' : draft.kept.value ? (draft.version.value ? 'kept' : '') : 'keeping …' }}
        </p>
        <span class="ml-auto flex gap-2">
          <button v-if="draft.version.value" class="button" @click="throwAway">Throw away</button>
          <button class="button-main" :disabled="!sound || !differs" @click="openPublish">Publish …</button>
        </span>
      </div>
      <p v-if="draft.trouble.value || trouble" role="alert" class="mt-2 text-red">
        {{ draft.trouble.value || trouble }}
      </p>

      <ul v-if="otherFaults.length && as !== 'file'" class="mt-2 rounded border border-red p-2 text-small" role="alert">
        <li v-for="(f, i) in otherFaults" :key="i">
          <button class="text-left text-red hover:underline" @click="goTo(f.line)">
            Line {{ f.line }}: {{ f.where }}: {{ f.text }}
          </button>
        </li>
      </ul>

      <div v-if="as !== 'file'" class="mt-3 grid gap-6 lg:grid-cols-[13rem_minmax(0,1fr)_minmax(0,24rem)]">
        <nav aria-label="Rules of the draft">
          <ul>
            <li v-for="n in names" :key="n">
              <button
                class="flex w-full items-baseline gap-1 rounded px-2 py-1 text-left hover:bg-tide-soft"
                :class="n === name ? 'bg-tide-soft font-semibold text-tide' : ''"
                :aria-current="n === name || undefined"
                @click="chosen = n"
              >
                <span class="min-w-0 truncate">{{ titles[n] ?? n }}</span>
                <span v-if="changed(n)" class="ml-auto text-small font-normal text-muted">{{ changed(n) }}</span>
              </button>
            </li>
          </ul>
          <button class="button mt-2" :disabled="!report?.measures.length" @click="add()">
            <PlusIcon class="size-4" aria-hidden="true" />New rule
          </button>
        </nav>
        <section aria-label="Rule" class="min-w-0">
          <template v-if="definition">
            <p v-if="words && sound" class="mb-3 border-l-2 border-tide pl-3 text-muted">{{ words }}</p>
            <RuleForm :definition="definition" :faults="ruleFaults" :report="report" @change="write" />
            <p class="mt-4 flex gap-3 text-small">
              <button class="text-tide hover:underline" @click="add(definition)">Copy as a starting point</button>
              <button class="text-red hover:underline" @click="remove">Take this rule out</button>
            </p>
          </template>
          <p v-else-if="!names.length" class="text-muted">There is no rule yet. Make the first one.</p>
        </section>
        <RehearsalView
          v-if="name && period"
          :text="settled"
          :sound="sound"
          :rule="placed"
          :period="period"
          :definition="definition"
          :dials="report?.dials"
          @change="write"
          @turn="turnDial"
        />
      </div>

      <div v-else class="mt-3 grid gap-6 lg:grid-cols-[minmax(0,1fr)_minmax(0,24rem)]">
        <textarea
          ref="area"
          :value="text"
          aria-label="The rulebook's text"
          spellcheck="false"
          class="field h-[calc(100vh-14rem)] min-h-80 w-full resize-none p-3 font-mono text-small leading-5 whitespace-pre"
          @input="(e) => draft.change((e.target as HTMLTextAreaElement).value)"
        ></textarea>
        <section class="max-h-[calc(100vh-14rem)] overflow-auto" aria-label="What there is to say of it" tabindex="0">
          <h2 class="font-semibold">
            {{ faults.length ? countWords(faults.length, 'problem') : 'Nothing is wrong with it' }}
          </h2>
          <ul class="mt-1">
            <li v-for="(f, i) in faults" :key="i" class="border-b border-line py-1">
              <button class="text-left text-small text-red hover:underline" @click="goTo(f.line)">
                {{ f.line }}:{{ f.column }} {{ f.where }}<span class="block text-ink">{{ f.text }}</span>
              </button>
            </li>
            <li
              v-for="(f, i) in report?.advice ?? []"
              :key="`advice ${i}`"
              class="border-b border-line py-1 text-small"
            >
              <button class="text-left text-amber hover:underline" @click="goTo(f.line)">
                Mind, {{ f.where }}: {{ f.text }}
              </button>
            </li>
          </ul>
          <template v-if="!faults.length">
            <h3 class="mt-3 text-small font-semibold text-muted">Against the published revision</h3>
            <p v-for="w in report?.differences ?? []" :key="w" class="text-small">{{ w }}</p>
            <p v-if="!differs" class="text-small text-muted">It says the same.</p>
            <h3 class="mt-3 text-small font-semibold text-muted">What its rules say</h3>
            <p v-for="r in rules" :key="r.name" class="mt-1 text-small">
              <b>{{ r.title }}.</b> {{ r.words }}
            </p>
          </template>
        </section>
      </div>
    </template>
    <PublishDialog
      :open="publishing"
      :text="text"
      :based-on="draft.basedOn.value"
      :advice="(report?.advice ?? []).filter((a) => a.where !== 'measures').map((a) => `${a.where}: ${a.text}`)"
      @close="publishing = false"
      @published="published"
      @rebase="(to) => draft.rebase(to)"
    />
  </div>
</template>
