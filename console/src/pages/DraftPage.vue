<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { ArrowDownIcon, ArrowUpIcon, PlusIcon } from '@heroicons/vue/20/solid'
import { computed, defineAsyncComponent, nextTick, ref, watch } from 'vue'
import { useRouter } from 'vue-router'

import { api, need } from '@/lib/api'
import { useDraft, useEdits, type Definition } from '@/lib/draft'
import { countWords } from '@/lib/format'
import { usePeriod } from '@/lib/period'
import { useQueryWord } from '@/lib/query'
import { useRulebook } from '@/lib/rulebook'
import { useSession } from '@/lib/session'
import { smallest } from '@/lib/smallest'
import PublishDialog from '@/parts/rules/PublishDialog.vue'
import RehearsalView from '@/parts/rules/RehearsalView.vue'
import RoutingView from '@/parts/rules/RoutingView.vue'
import RuleForm from '@/parts/rules/RuleForm.vue'
import RuleTabs from '@/parts/rules/RuleTabs.vue'
import QueryState from '@/parts/ui/QueryState.vue'

const TextEditor = defineAsyncComponent(() => import('@/parts/rules/TextEditor.vue'))
const router = useRouter()
const { period } = usePeriod()
const { person, may } = useSession()
const { book, grades, allGrades } = useRulebook()
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
function show() {
  const found = rules.value.find((r) => r.name === name.value)?.definition
  if (!found || writing.value) return
  if (placed.value !== name.value || sound.value) {
    definition.value = structuredClone(JSON.parse(JSON.stringify(found)))
    placed.value = name.value
  }
}
watch([name, rules], show, { immediate: true })
const { edit, trouble } = useEdits(text, draft.change)
const place = (name: string, rule?: Definition) => (from: string) =>
  need(api.POST('/api/rulebook/rule', { body: { text: from, name, rule } })).then((out) => out.text)
async function write(d: Definition) {
  const name = placed.value
  definition.value = d
  writing.value++
  const done = await edit(place(name, d))
  writing.value--
  if (done && d.name && d.name !== name && placed.value === name) {
    placed.value = d.name
    chosen.value = d.name
  }
}
const changeDial = (dial: string, value: string) =>
  edit((from) =>
    need(api.POST('/api/rulebook/dial', { body: { text: from, name: dial, value } })).then((out) => out.text),
  )
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
  if (!(await edit(place(fresh, d)))) return
  definition.value = d
  placed.value = fresh
  chosen.value = fresh
}
// What was taken away can be put back while one is on the page and nothing else was changed.
const before = ref<{ words: string; text: string; after: string }>()
watch(text, (now) => before.value && now !== before.value.after && (before.value = undefined))
function putBack() {
  if (before.value) draft.change(before.value.text)
  before.value = undefined
  placed.value = ''
  show() // what was checked may be what is there again
}
async function remove() {
  const was = text.value
  const title = titles.value[placed.value] ?? placed.value
  if (!(await edit(place(placed.value)))) return
  before.value = { words: `${title} is deleted from the draft.`, text: was, after: text.value }
  placed.value = ''
  definition.value = undefined
  chosen.value = ''
}
// Rules are tried in their order: one that has the last word speaks for those after it.
function move(name: string, by: number) {
  const to = [...names.value]
  const at = to.indexOf(name)
  if (at + by < 0 || at + by >= to.length) return
  to.splice(at + by, 0, ...to.splice(at, 1))
  edit((from) => need(api.POST('/api/rulebook/order', { body: { text: from, names: to } })).then((out) => out.text))
}
function turn(name: string, on: boolean) {
  const d = rules.value.find((r) => r.name === name)?.definition
  if (!d) return
  const to = { ...d, on: on ? undefined : false, trial: undefined }
  if (name === placed.value) write(to)
  else edit(place(name, to))
}
const isOn = (name: string) => rules.value.find((r) => r.name === name)?.on !== false

const faults = computed(() => report.value?.problems ?? [])
const ruleFaults = computed(() =>
  faults.value.filter((f) => definition.value && f.where?.startsWith(`rules.${placed.value}`)),
)
const otherFaults = computed(() => faults.value.filter((f) => !ruleFaults.value.includes(f)))
const changed = computed(() => {
  const words = report.value?.differences ?? []
  return (rule: string) => words.find((w) => w.startsWith(`rule ${rule}: `))?.split(': ')[1]
})
const editor = ref<{ goTo: (line: number) => void }>()
async function goTo(line?: number) {
  if (!line) return
  as.value = 'file'
  for (let n = 0; n < 50 && !editor.value; n++) await new Promise((r) => setTimeout(r, 40)) // it is loaded when first asked for
  await nextTick()
  editor.value?.goTo(line)
}
const marks = computed(() => [...faults.value, ...(report.value?.advice ?? []).map((a) => ({ ...a, mild: true }))])
const keys = useQuery({ queryKey: ['keys'], queryFn: () => need(api.GET('/api/rulebook/keys')), staleTime: Infinity })
const completions = computed(() => {
  const r = report.value
  if (!r) return []
  return [
    ...(keys.data.value ?? []).map((label) => ({ label, detail: 'key' })),
    ...r.measures.map((m) => ({ label: m.name, detail: m.title })),
    ...r.dials.map((d) => ({ label: d.name, detail: `dial, ${d.value}` })),
    ...r.functions.map((f) => ({ label: f.name, detail: f.title })),
    ...(book.value?.kinds ?? []).flatMap((k) => [
      { label: k.name, detail: 'kind' },
      ...k.attributes.map((a) => ({ label: `${k.name}.${a}`, detail: 'attribute' })),
    ]),
    ...allGrades.value.map((g) => ({ label: g.name, detail: 'grade' })),
  ]
})
/** The smallest rulebook with all its parts, to begin from. */
function begin() {
  draft.change(smallest)
  as.value = 'file'
}
const publishing = ref(false)
async function openPublish() {
  publishing.value = await draft.flush()
}
async function published(revision: number) {
  publishing.value = false
  await draft.drop()
  await router.push({ path: '/rules', query: period.value ? { period: period.value } : {} })
  done.value = revision
}
const done = ref(0)
async function discard() {
  const was = text.value
  placed.value = ''
  await draft.drop()
  before.value = { words: 'The draft is discarded.', text: was, after: text.value }
}
const words = computed(() => rules.value.find((r) => r.name === placed.value)?.words)
const differs = computed(() => (report.value?.differences.length ?? 0) > 0)
</script>

<template>
  <div class="min-w-0 p-4">
    <RuleTabs />
    <h1 class="sr-only">My draft</h1>
    <QueryState
      v-if="person && !may('putDraft')"
      empty="Drafts are written and published by analysts and leads. See Published rules for the current ones."
    />
    <QueryState
      v-else-if="!draft.query.data.value"
      :loading="draft.query.isPending.value"
      :error="draft.query.error.value"
    />
    <template v-else>
      <div class="mt-3 flex flex-wrap items-center gap-2">
        <div class="flex" role="group" aria-label="Written as">
          <button
            class="button rounded-r-none"
            :aria-pressed="as !== 'file'"
            :class="as !== 'file' ? '!border-tide text-tide' : ''"
            @click="as = ''"
          >
            Form
          </button>
          <button
            class="button -ml-px rounded-l-none"
            :aria-pressed="as === 'file'"
            :class="as === 'file' ? '!border-tide text-tide' : ''"
            @click="as = 'file'"
          >
            File
          </button>
        </div>
        <p class="text-small text-muted" role="status">
          Based on revision {{ draft.basedOn.value
          }}<template v-if="draft.published.value > draft.basedOn.value"
            >, but revision {{ draft.published.value }} is published by now</template
          >;
          {{ differs ? countWords(report!.differences.length, 'change') : sound ? 'no change yet' : '' }}
          {{ draft.trouble.value ? '' : draft.kept.value ? (draft.version.value ? 'saved' : '') : 'saving …' }}
        </p>
        <span class="ml-auto flex gap-2">
          <button v-if="draft.version.value" class="button mr-6" @click="discard">Discard draft</button>
          <button class="button-main" :disabled="!sound || !differs" @click="openPublish">Publish …</button>
        </span>
      </div>
      <p v-if="draft.trouble.value || trouble" role="alert" class="mt-2 text-red">
        {{ draft.trouble.value || trouble }}
      </p>

      <p v-if="before" role="status" class="mt-2 flex items-center gap-3">
        {{ before.words }} <button class="button" @click="putBack">Undo</button>
      </p>

      <div
        v-if="otherFaults.length && as !== 'file'"
        class="mt-2 rounded border border-red p-2 text-small"
        role="alert"
      >
        <ul>
          <li v-for="(f, i) in otherFaults" :key="i">
            <button class="text-left text-red hover:underline" @click="goTo(f.line)">
              Line {{ f.line }}: {{ f.where }}: {{ f.text }}
            </button>
          </li>
        </ul>
      </div>

      <div v-if="as !== 'file'" class="mt-3 grid gap-6 lg:grid-cols-[13rem_minmax(0,1fr)_minmax(0,24rem)]">
        <nav aria-label="Rules of the draft">
          <ul>
            <li v-for="(n, i) in names" :key="n">
              <button
                class="flex w-full items-baseline gap-1 rounded px-2 py-1 text-left hover:bg-tide-soft"
                :class="[n === name ? 'bg-tide-soft font-semibold text-tide' : '', isOn(n) ? '' : 'text-muted']"
                :aria-current="n === name || undefined"
                @click="chosen = n"
              >
                <span class="min-w-0 truncate">{{ titles[n] ?? n }}</span>
                <span class="ml-auto text-small font-normal text-muted">{{
                  [isOn(n) ? '' : 'off', changed(n)].filter(Boolean).join(', ')
                }}</span>
              </button>
              <p v-if="n === name" class="flex items-center gap-1 px-2 pb-1 text-small">
                <button
                  class="rounded p-1 hover:bg-tide-soft disabled:opacity-40"
                  :disabled="i === 0"
                  :aria-label="`Move ${titles[n] ?? n} up`"
                  @click="move(n, -1)"
                >
                  <ArrowUpIcon class="size-4" aria-hidden="true" />
                </button>
                <button
                  class="rounded p-1 hover:bg-tide-soft disabled:opacity-40"
                  :disabled="i === names.length - 1"
                  :aria-label="`Move ${titles[n] ?? n} down`"
                  @click="move(n, 1)"
                >
                  <ArrowDownIcon class="size-4" aria-hidden="true" />
                </button>
                <button class="ml-auto text-tide hover:underline" :disabled="!sound" @click="turn(n, !isOn(n))">
                  {{ isOn(n) ? 'Switch off' : 'Switch on' }}
                </button>
              </p>
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
              <button class="text-tide hover:underline" @click="add(definition)">Copy</button>
              <button class="text-red hover:underline" @click="remove">Delete this rule</button>
            </p>
          </template>
          <div v-else-if="!text.trim()" class="max-w-xl text-muted">
            <p>The draft is empty. Start with a small rulebook of reps and their order lines.</p>
            <button class="button-main mt-2" @click="begin">Start with a small rulebook</button>
          </div>
          <p v-else-if="draft.check.isFetching.value || !report" class="text-muted" role="status">
            Reading the draft …
          </p>
          <p v-else-if="faults.length" class="text-muted">
            The draft has errors, so its rules cannot be shown as forms.
            <button class="text-tide hover:underline" @click="as = 'file'">Edit the file</button>
          </p>
          <p v-else-if="!names.length" class="text-muted">No rules yet. Add the first one.</p>
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
          @turn="changeDial"
        />
      </div>

      <div v-else class="mt-3 grid gap-6 lg:grid-cols-[minmax(0,1fr)_minmax(0,24rem)]">
        <div class="h-[calc(100vh-14rem)] min-h-80">
          <TextEditor
            ref="editor"
            :model-value="text"
            label="The rulebook's text"
            :marks="marks"
            :words="completions"
            @update:model-value="draft.change"
          />
        </div>
        <section class="max-h-[calc(100vh-14rem)] overflow-auto" aria-label="Errors and warnings" tabindex="0">
          <h2 class="font-semibold">
            {{ faults.length ? countWords(faults.length, 'error') : 'No errors' }}
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
                Warning, {{ f.where }}: {{ f.text }}
              </button>
            </li>
          </ul>
          <template v-if="!faults.length">
            <h3 class="mt-3 text-small font-semibold text-muted">Changes since the published revision</h3>
            <p v-for="w in report?.differences ?? []" :key="w" class="text-small">{{ w }}</p>
            <p v-if="!differs" class="text-small text-muted">No differences.</p>
            <RoutingView v-if="period" class="mt-3" :text="settled" :period="period" />
            <h3 class="mt-3 text-small font-semibold text-muted">Rules in words</h3>
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
