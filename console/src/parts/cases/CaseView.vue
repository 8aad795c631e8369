<script setup lang="ts">
import { computed, ref, toRef, watch } from 'vue'

import type { Act, ActName } from '@/lib/acts'
import { useCase } from '@/lib/case'
import { dayWords, momentWords, numberWords } from '@/lib/format'
import { useRulebook } from '@/lib/rulebook'
import { useSession } from '@/lib/session'
import { usePeople } from '@/lib/people'
import CaseFlag from '@/parts/cases/CaseFlag.vue'
import CaseFiles from '@/parts/cases/CaseFiles.vue'
import CaseTodos from '@/parts/cases/CaseTodos.vue'
import FindingForm from '@/parts/cases/FindingForm.vue'
import GradeMark from '@/parts/ui/GradeMark.vue'
import MentionText from '@/parts/cases/MentionText.vue'
import StaleNote from '@/parts/exceptions/StaleNote.vue'
import QueryState from '@/parts/ui/QueryState.vue'
import SubjectPast from '@/parts/data/SubjectPast.vue'

const { nameOf } = usePeople()

/** One case: what is flagged, what was said and done, and what to do next. */
const props = defineProps<{ id: number; page?: boolean }>()
const { desk, kind } = useRulebook()
const { person, may } = useSession()
const { query, act, start } = useCase(toRef(props, 'id'), (a) => {
  if (a.do === 'comment') comment.value = ''
})
const { data, error, isPending, refetch } = query

const comment = ref('')
const given = ref<Omit<Partial<Act>, 'do' | 'cases' | 'text'>>({})
const note = ref('')
watch(
  () => props.id,
  () => {
    act.reset()
    comment.value = ''
    given.value = {}
    note.value = ''
  },
)
// What was read is what is changed: another's change in between is told.
const here = computed(() => ({ id: data.value?.case.id ?? props.id, version: data.value?.case.version }))
const doIt = (a: Omit<Act, 'cases'>) => act.mutate({ ...a, cases: [here.value] })
const begin = (what: ActName) =>
  start(what, [
    { ...here.value, name: data.value?.case.name, desk: data.value?.case.desk, cleared: data.value?.case.cleared },
  ])
function settle() {
  const { finding, ...more } = given.value
  if (finding) doIt({ do: 'settle', finding, ...more, text: note.value })
}

const mine = computed(() => data.value?.case.taken_by === person.value?.name)
const asked = computed(() => !!data.value?.case.asked && data.value.case.asked === person.value?.name)
const mayComment = computed(() => data.value?.may_say)
const state = computed(() => {
  const c = data.value?.case
  if (!c) return ''
  if (c.state === 'taken') return mine.value ? 'Taken by you' : `Taken by ${nameOf(c.taken_by)}`
  if (c.state === 'parked') {
    const who = c.taken_by ? (mine.value ? ', by you' : `, by ${nameOf(c.taken_by)}`) : ''
    return (c.parked_to ? `Parked until ${dayWords(c.parked_to)}` : `Parked until lines of ${c.parked_for} come`) + who
  }
  if (c.state === 'settled')
    return `Settled as ${c.finding}${c.settled_by ? ` by ${nameOf(c.settled_by)}` : ''}, ${momentWords(c.settled_at!)}`
  return 'Open: it is not taken yet'
})
</script>

<template>
  <QueryState v-if="!data" :loading="isPending" :error="error" @retry="refetch()" />
  <article v-else class="p-4">
    <header>
      <p class="flex flex-wrap items-center gap-x-3">
        <GradeMark :grade="data.case.grade" :state="data.case.cleared ? 'cleared' : undefined" />
        <span class="text-muted">{{ desk(data.case.desk) }}</span>
        <span :class="data.case.late ? 'font-semibold text-red' : 'text-muted'">
          due {{ dayWords(data.case.due) }}{{ data.case.late ? ', late' : '' }}
        </span>
        <span v-if="Number(data.case.stake)" class="text-muted"
          >at stake {{ numberWords(Number(data.case.stake), 'money') }}</span
        >
      </p>
      <component :is="page ? 'h1' : 'h2'" class="mt-1 text-title font-semibold">{{ data.case.name }}</component>
      <p class="text-small text-muted">
        {{ kind(data.case.kind) }} <span class="font-mono">{{ data.case.key }}</span> · {{ state }}
      </p>
    </header>

    <p v-if="data.case.asked" class="mt-2 text-small text-muted">
      {{
        asked
          ? 'A colleague asked you a question: see the history.'
          : `${nameOf(data.case.asked)} has a question to answer.`
      }}
    </p>
    <StaleNote :why="data.stale" />
    <p v-if="data.case.cleared && data.case.state !== 'settled'" class="mt-2 text-muted">
      Nothing in it is flagged any more.
    </p>
    <div class="mt-3 flex flex-wrap gap-2">
      <button
        v-if="data.may_act && data.case.cleared && data.case.state !== 'settled' && (!data.case.taken_by || mine)"
        class="button-main"
        :disabled="act.isPending.value"
        @click="doIt({ do: 'settle', finding: 'cleared' })"
      >
        Settle as cleared
      </button>
      <button
        v-if="data.may_act && data.case.state === 'open'"
        :class="data.case.cleared ? 'button' : 'button-main'"
        :disabled="act.isPending.value"
        @click="doIt({ do: 'take' })"
      >
        Take this case
      </button>
      <button
        v-if="data.may_act && data.case.state === 'taken' && (mine || may('workOnAnyDesk'))"
        class="button"
        :disabled="act.isPending.value"
        @click="doIt({ do: 'return' })"
      >
        Return to the desk
      </button>
      <template v-if="data.may_act">
        <template v-if="data.case.state !== 'settled' && (!data.case.taken_by || mine || may('workOnAnyDesk'))">
          <button v-if="data.case.state === 'parked'" class="button" @click="begin('resume')">Resume</button>
          <button v-else class="button" @click="begin('park')">Park…</button>
          <button class="button" @click="begin('hand over')">Hand over…</button>
        </template>
        <button v-if="data.case.state !== 'settled'" class="button" @click="begin('ask')">Ask…</button>
        <button v-else class="button" @click="begin('reopen')">Reopen…</button>
      </template>
    </div>
    <p v-if="act.error.value" role="alert" class="mt-2 text-red">{{ act.error.value.message }}</p>

    <div class="mt-4 grid gap-x-8 gap-y-6" :class="page ? 'lg:grid-cols-[minmax(0,1fr)_400px]' : ''">
      <div class="min-w-0 space-y-6">
        <section>
          <component :is="page ? 'h2' : 'h3'" class="text-small font-semibold text-muted">What is flagged</component>
          <ul class="mt-1">
            <CaseFlag
              v-for="(x, i) in data.exceptions"
              :key="x.id"
              :flag="x"
              :open="!!page && i === 0"
              :head="page ? 'h3' : 'h4'"
              :finding="data.case.flag_findings?.find((f) => f.exception === x.id)?.finding"
            />
          </ul>
        </section>

        <section v-if="data.before.length || data.by_rule.length">
          <component :is="page ? 'h2' : 'h3'" class="text-small font-semibold text-muted">Found before</component>
          <ul class="mt-1">
            <li v-for="f in data.before" :key="f.case" class="border-b border-line py-1.5">
              <p>
                <RouterLink :to="`/cases/${f.case}`" class="underline">Case {{ f.case }}</RouterLink
                >, {{ f.finding
                }}<span class="ml-2 text-small text-muted">{{ nameOf(f.by) }}, {{ momentWords(f.at) }}</span>
              </p>
              <p class="text-small text-muted">{{ f.sentence }}</p>
              <p v-if="f.text && f.text !== f.finding" class="text-small">{{ f.text }}</p>
            </li>
            <li v-for="r in data.by_rule" :key="r.rule" class="border-b border-line py-1.5 text-small">
              <RouterLink class="underline" :to="{ path: '/rules', query: { rule: r.rule } }">{{
                r.title
              }}</RouterLink>, others in the last 12 months:
              {{
                Object.entries(r.findings)
                  .map(([finding, n]) => `${n} ${finding}`)
                  .join(', ')
              }}
            </li>
          </ul>
        </section>
        <SubjectPast
          v-if="page && data.exceptions.length"
          :kind="data.case.kind"
          :subject="data.case.key"
          :period="data.exceptions[0].period"
          figures
        />
      </div>
      <div class="min-w-0 space-y-6">
        <section
          v-if="data.may_act && data.case.state !== 'settled' && (!data.case.taken_by || mine || may('workOnAnyDesk'))"
        >
          <form class="card p-3" @submit.prevent="settle">
            <FindingForm
              :model-value="given"
              :cleared="data.case.cleared"
              :flags="data.exceptions"
              @update:model-value="(part) => (given = { ...given, ...part })"
            />
            <label class="mt-3 block text-small font-semibold text-muted" :for="`note-${id}`"
              >Note for later readers</label
            >
            <input :id="`note-${id}`" v-model="note" maxlength="4000" class="field mt-1 w-full" />
            <button class="button-main mt-3" :disabled="!given.finding || act.isPending.value">
              {{ given.finding ? `Settle as ${given.finding}` : 'Settle: choose a finding' }}
            </button>
          </form>
        </section>
        <p v-else-if="!data.may_act && data.case.state !== 'settled'" class="text-small text-muted">
          Only members of the desk ({{ desk(data.case.desk) }}) take and settle this case.
        </p>

        <CaseTodos
          :id="id"
          :todos="data.todos"
          :may-say="data.may_say"
          :may-act="data.may_act"
          :head="page ? 'h2' : 'h3'"
        />
        <CaseFiles :id="id" :files="data.files" :may-say="data.may_say" :head="page ? 'h2' : 'h3'" />
        <section>
          <component :is="page ? 'h2' : 'h3'" class="text-small font-semibold text-muted">History</component>
          <ol class="mt-1">
            <li v-for="(x, i) in data.events" :key="i" class="border-l-2 border-line py-1 pl-3">
              <p class="text-small text-muted">
                <span class="font-semibold text-ink">{{ nameOf(x.by) }}</span> {{ x.words }} · {{ momentWords(x.at) }}
              </p>
              <p v-if="x.text" :class="x.what === 'comment' || x.what === 'settled' ? '' : 'text-small text-muted'">
                <MentionText :text="x.text" />
              </p>
            </li>
          </ol>
          <form v-if="mayComment" class="mt-3" @submit.prevent="doIt({ do: 'comment', text: comment })">
            <label class="text-small font-semibold text-muted" :for="`comment-${id}`">Comment</label>
            <textarea
              :id="`comment-${id}`"
              v-model="comment"
              rows="2"
              maxlength="4000"
              class="field mt-1 h-auto w-full py-1"
              :aria-describedby="`names-${id}`"
            ></textarea>
            <p :id="`names-${id}`" class="text-small text-muted">Type @ and a name to notify someone.</p>
            <button class="button mt-1" :disabled="!comment.trim() || act.isPending.value">
              {{ asked ? 'Answer' : 'Add the comment' }}
            </button>
          </form>
        </section>
      </div>
    </div>
  </article>
</template>
