<script setup lang="ts">
import { ArrowUpTrayIcon } from '@heroicons/vue/20/solid'
import { useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'

import { Refusal, type Problem, type Schemas } from '@/lib/api'
import { countWords, monthWords } from '@/lib/format'
import { useRulebook } from '@/lib/rulebook'
import { Cancelled, guessOf, useUpload, type Into } from '@/lib/upload'
import { refresh } from '@/lib/queries'

/** Takes a file in: drop it, say what it is, see what it would bring or what is wrong with it, then load it. */
const { book } = useRulebook()
const queries = useQueryClient()
const { send, cancel, progress, busy } = useUpload()

const file = ref<File>()
const head = ref('') // its first line
const over = ref(false)
const what = ref('') // such as feed:sales
const mode = ref<'append' | 'replace' | 'correct'>('append')
const period = ref('')
const column = ref('')
const report = ref<Schemas['IntakeReport']>()
const problem = ref<Problem>()
const trouble = ref('')
const taken = ref<Schemas['Intake']>()

const choices = computed(() => [
  ...(book.value?.feeds ?? []).map((f) => ({ value: `feed:${f.name}`, text: `Lines of ${f.title}` })),
  ...(book.value?.kinds ?? []).map((k) => ({ value: `register:${k.name}`, text: `Register: ${k.plural}` })),
  ...(book.value?.kinds ?? []).map((k) => ({ value: `targets:${k.name}`, text: `Targets of ${k.plural}` })),
])
const lines = computed(() => what.value.startsWith('feed:'))
const asked = computed(() => {
  const [into, name] = what.value.split(':') as [Into, string]
  return {
    into,
    name,
    replace: lines.value && mode.value === 'replace' ? period.value.trim() : undefined,
    correct: lines.value && mode.value === 'correct' ? column.value.trim() : undefined,
  }
})
const ready = computed(
  () =>
    !!file.value &&
    !!what.value &&
    !(lines.value && mode.value === 'replace' && !period.value.trim()) &&
    !(lines.value && mode.value === 'correct' && !column.value.trim()),
)

function forget() {
  cancel()
  report.value = problem.value = undefined
  trouble.value = ''
}
let newest: File | undefined
async function choose(f?: File) {
  if (!f) return
  forget()
  taken.value = undefined
  what.value = ''
  file.value = undefined
  newest = f
  const first = (await f.slice(0, 4096).text()).split(/\r?\n/)[0]
  if (newest !== f) return // another was dropped meanwhile
  head.value = first
  file.value = f
}
// A file may be dropped before the rulebook has come, which says what it can be.
watch([head, book, file], () => {
  if (!file.value || !book.value || what.value) return
  const guess = guessOf(file.value.name, head.value, book.value.feeds, book.value.kinds)
  what.value = guess ? `${guess.into}:${guess.name}` : ''
})
async function attempt(work: () => Promise<void>) {
  forget()
  try {
    await work()
  } catch (e) {
    if (e instanceof Refusal) problem.value = e.problem
    else if (!(e instanceof Cancelled)) trouble.value = (e as Error).message
  }
}
const check = () =>
  attempt(async () => {
    report.value = await send<Schemas['IntakeReport']>(file.value!, { ...asked.value, dry_run: true })
  })
const doubtful = computed(() => !!report.value?.equal || !!report.value?.doubts?.length)
// Whoever has read what is doubtful means it.
function load() {
  const meant = { allow_duplicates: !!report.value?.equal, accept_warnings: !!report.value?.doubts?.length }
  return attempt(async () => {
    taken.value = await send<Schemas['Intake']>(file.value!, { ...asked.value, ...meant })
    file.value = undefined
    refresh(queries, 'all')
  })
}
const number = (t?: string) => (t ? Number(t).toLocaleString('en-GB', { maximumFractionDigits: 2 }) : '–')
const totals = computed(() => Object.keys(report.value?.months[0]?.totals ?? {}).sort())
const size = (n: number) => (n < 1e6 ? `${Math.ceil(n / 1e3)} kB` : `${(n / 1e6).toFixed(1)} MB`)
</script>

<template>
  <section class="card mt-3 p-3" aria-label="Take a file in">
    <label
      class="flex cursor-pointer flex-wrap items-center gap-3 rounded border-2 border-dashed px-4 py-3 focus-within:border-tide hover:border-tide"
      :class="over ? 'border-tide bg-tide-soft' : 'border-line'"
      @dragover.prevent="over = true"
      @dragleave="over = false"
      @drop.prevent="((over = false), choose($event.dataTransfer?.files[0]))"
    >
      <ArrowUpTrayIcon class="size-5 text-tide" aria-hidden="true" />
      <span v-if="file"
        ><b class="font-mono">{{ file.name }}</b> <span class="text-muted">{{ size(file.size) }}</span></span
      >
      <span v-else><b>Drop a CSV file here</b>, or choose one</span>
      <span class="text-small text-muted">A file with an error is rejected as a whole.</span>
      <input
        type="file"
        accept=".csv,text/csv"
        class="sr-only"
        aria-label="A CSV file to load"
        @change="(e) => choose((e.target as HTMLInputElement).files?.[0])"
      />
    </label>

    <p v-if="file && book && !choices.length" role="status" class="mt-3 text-muted">
      No rulebook is published yet. It says which feeds and registers there are: publish one first.
    </p>
    <form v-else-if="file" class="mt-3 flex flex-wrap items-center gap-2" @submit.prevent="check">
      <label class="text-small text-muted" for="intake-what">File type</label>
      <select id="intake-what" v-model="what" class="field" @change="forget">
        <option v-for="c in choices" :key="c.value" :value="c.value">{{ c.text }}</option>
      </select>
      <template v-if="lines">
        <select v-model="mode" class="field" aria-label="How to load the lines" @change="forget">
          <option value="append">Append</option>
          <option value="replace">Replace a period</option>
          <option value="correct">Replace by key</option>
        </select>
        <input
          v-if="mode === 'replace'"
          v-model="period"
          class="field w-40"
          placeholder="such as 2026-10"
          aria-label="The period that is replaced"
          @input="forget"
        />
        <input
          v-if="mode === 'correct'"
          v-model="column"
          class="field w-40"
          placeholder="such as order_no"
          aria-label="The column that holds the key"
          @input="forget"
        />
      </template>
      <button class="button-main" :disabled="!ready || busy">Check the file</button>
      <button v-if="!busy" type="button" class="button" @click="(forget(), (file = undefined))">Discard</button>
      <template v-else>
        <progress :value="progress" max="1" class="w-40" aria-label="Upload progress"></progress>
        <span class="text-small text-muted" role="status">{{
          progress! < 1 ? `${Math.round(100 * progress!)}% sent` : 'being checked …'
        }}</span>
        <button type="button" class="button" @click="cancel">Cancel</button>
      </template>
    </form>

    <p v-if="trouble" role="alert" class="mt-2 text-red">{{ trouble }}</p>
    <div v-if="problem" role="alert" class="mt-2">
      <p class="text-red">{{ problem.detail ?? problem.title }}</p>
      <div v-if="problem.faults?.length" class="mt-1 overflow-x-auto">
        <table class="grid-table">
          <caption class="sr-only">
            What is wrong with the file
          </caption>
          <thead>
            <tr>
              <th scope="col" class="!text-right">Line</th>
              <th scope="col">Column</th>
              <th scope="col">Found</th>
              <th scope="col">What is wrong</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(f, i) in problem.faults" :key="i">
              <td class="figures text-right">{{ f.line }}</td>
              <td class="font-mono text-small">{{ f.column }}</td>
              <td class="font-mono text-small">{{ f.value }}</td>
              <td>{{ f.text }}</td>
            </tr>
          </tbody>
        </table>
        <p v-if="(problem.count ?? 0) > problem.faults.length" class="mt-1 text-small text-muted">
          and {{ problem.count! - problem.faults.length }} more
        </p>
      </div>
    </div>

    <div v-if="report" class="mt-3">
      <p>
        <b>{{ countWords(report.rows, 'row') }}</b> can be loaded<template v-if="report.new_subjects"
          >, {{ countWords(report.new_subjects, 'new subject') }} among them: {{ report.subjects.join(', ')
          }}{{ report.new_subjects > report.subjects.length ? ', …' : '' }}</template
        >.
      </p>
      <p v-for="d in report.doubts" :key="d" role="status" class="mt-1 border-l-4 border-amber pl-2.5">
        Please check: {{ d }}.
      </p>
      <p v-if="report.equal" role="status" class="mt-1 border-l-4 border-amber pl-2.5">{{ report.equal_words }}.</p>
      <div v-if="report.months.length" class="mt-2 overflow-x-auto">
        <table class="grid-table figures">
          <caption class="sr-only">
            What the feed would have by month
          </caption>
          <thead>
            <tr>
              <th scope="col">Month</th>
              <th scope="col" class="!text-right">Lines now</th>
              <th scope="col" class="!text-right">with the file</th>
              <template v-for="t in totals" :key="t">
                <th scope="col" class="!text-right">{{ t }} now</th>
                <th scope="col" class="!text-right">with the file</th>
              </template>
            </tr>
          </thead>
          <tbody>
            <tr v-for="m in report.months" :key="m.month" :class="m.rows === m.before ? 'text-muted' : ''">
              <td>{{ monthWords(m.month) }}</td>
              <td class="text-right">{{ m.before.toLocaleString('en-GB') }}</td>
              <td class="text-right">{{ m.rows.toLocaleString('en-GB') }}</td>
              <template v-for="t in totals" :key="t">
                <td class="text-right">{{ number(m.totals_before[t]) }}</td>
                <td class="text-right">{{ number(m.totals[t]) }}</td>
              </template>
            </tr>
          </tbody>
        </table>
      </div>
      <button class="button-main mt-3" :disabled="busy" @click="load()">
        {{ doubtful ? 'Import anyway' : `Load ${countWords(report.rows, 'row')}` }}
      </button>
    </div>
    <p v-if="taken" role="status" class="mt-2">
      Loaded {{ countWords(taken.rows, 'row') }} of <span class="font-mono">{{ taken.file }}</span> as intake
      {{ taken.id }}.
    </p>
  </section>
</template>
