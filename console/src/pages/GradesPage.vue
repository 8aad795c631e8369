<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, watch } from 'vue'

import { api, need, type Schemas } from '@/lib/api'
import { useQueryWord } from '@/lib/query'
import { toneColour, tones, useRulebook } from '@/lib/rulebook'
import { useSession } from '@/lib/session'
import GradeMark from '@/parts/ui/GradeMark.vue'
import PublishWhy from '@/parts/rules/PublishWhy.vue'
import RuleTabs from '@/parts/rules/RuleTabs.vue'
import { shapePaths } from '@/lib/shapes'
import ShapeMark from '@/parts/ui/ShapeMark.vue'
import QueryState from '@/parts/ui/QueryState.vue'
import { refresh } from '@/lib/queries'

type Style = Schemas['GradeChange']
const shapes = Object.keys(shapePaths) as Style['shape'][]

const queries = useQueryClient()
const { may } = useSession()
const { query, book, allGrades: grades } = useRulebook()
const chosen = useQueryWord('grade')
const grade = computed(() => grades.value.find((g) => g.name === chosen.value) ?? grades.value[0])
const cells: Record<Schemas['Grade']['cell'], string> = {
  shape: 'its shape alone',
  tint: 'a tinted cell',
  figure: 'the figure, bold',
  row: 'the whole row',
}
const style = reactive({ label: '', tone: tones[0]!, shape: shapes[0]!, cell: 'shape' as Schemas['Grade']['cell'] })
const reset = () => grade.value && Object.assign(style, { ...grade.value, name: undefined, good: undefined })
watch(grade, reset, { immediate: true })
const changed = computed(
  () =>
    grade.value &&
    (grade.value.label !== style.label.trim() ||
      grade.value.tone !== style.tone ||
      grade.value.shape !== style.shape ||
      grade.value.cell !== style.cell),
)
const choices = computed(() => [
  {
    of: 'Shape',
    now: style.shape,
    set: (s: string) => (style.shape = s as Style['shape']),
    options: shapes.map((s) => ({ value: s as string, shape: s, tone: style.tone })),
  },
  {
    of: 'Tone',
    now: style.tone,
    set: (t: string) => (style.tone = t as Style['tone']),
    options: tones.map((t) => ({ value: t as string, shape: style.shape, tone: t })),
  },
])
const twin = computed(() =>
  grades.value.find((g) => g.name !== grade.value?.name && g.tone === style.tone && g.shape === style.shape),
)
const uses = useQuery({
  queryKey: computed(() => ['uses', grade.value?.name]),
  queryFn: () => need(api.GET('/api/rulebook/uses', { params: { query: { name: grade.value!.name } } })),
  enabled: computed(() => !!grade.value),
})
const named = (kind: string) =>
  (uses.data.value ?? []).filter((u) => u.startsWith(`${kind} `)).map((u) => u.slice(kind.length + 1))
const restyle = useMutation({
  mutationFn: (note: string) =>
    need(
      api.PUT('/api/grades/{name}', {
        params: { path: { name: grade.value!.name } },
        body: {
          label: style.label.trim(),
          tone: style.tone,
          shape: style.shape,
          cell: style.cell,
          note,
          based_on: book.value!.revision,
        },
      }),
    ),
  onSuccess: () => refresh(queries, 'all'),
})
</script>

<template>
  <div class="p-4">
    <RuleTabs />
    <h1 class="sr-only">Grades</h1>
    <QueryState v-if="!book" :loading="query.isPending.value" :error="query.error.value" @retry="query.refetch()" />
    <QueryState v-else-if="!grade" empty="The rulebook has no grades yet: name them in your draft." />
    <div v-else class="mt-3 grid gap-6 md:grid-cols-[13rem_minmax(0,34rem)]">
      <div>
        <ol>
          <li v-for="g in grades" :key="g.name">
            <button
              class="flex w-full rounded px-2 py-1 hover:bg-tide-soft"
              :class="g.name === grade.name ? 'bg-tide-soft' : ''"
              :aria-current="g.name === grade.name"
              @click="chosen = g.name"
            >
              <GradeMark :grade="g.name" />
            </button>
          </li>
        </ol>
        <p class="mt-2 px-2 text-small text-muted">The most serious first; good ones last.</p>
      </div>
      <section :aria-label="grade.label" class="space-y-4">
        <p v-if="grade.good" class="text-muted">It praises: it is shown and counted apart, and never an exception.</p>
        <p v-if="uses.data.value" class="text-muted">
          Rules that give it: {{ named('rule').join(', ') || 'none' }}.
          <template v-if="named('desk').length">It is due by its own time on {{ named('desk').join(', ') }}.</template>
        </p>
        <fieldset :disabled="!may('changeGrade')" class="space-y-4">
          <label class="block"
            >Label<input v-model="style.label" class="field mt-0.5 block w-60" maxlength="40"
          /></label>
          <div v-for="c in choices" :key="c.of" role="radiogroup" :aria-label="c.of">
            <p>{{ c.of }}</p>
            <div class="mt-0.5 flex flex-wrap gap-1">
              <label v-for="o in c.options" :key="o.value" class="choice">
                <input
                  type="radio"
                  :name="c.of"
                  :value="o.value"
                  :checked="o.value === c.now"
                  class="sr-only"
                  @change="c.set(o.value)"
                />
                <ShapeMark :shape="o.shape" :tone="o.tone" />{{ o.value }}
              </label>
            </div>
          </div>
          <div role="radiogroup" aria-label="In a table it colours">
            <p>In a table it colours</p>
            <div class="mt-0.5 flex flex-wrap gap-1">
              <label v-for="(text, c) in cells" :key="c" class="choice">
                <input v-model="style.cell" type="radio" name="cell" :value="c" class="sr-only" />{{ text }}
              </label>
            </div>
          </div>
        </fieldset>
        <p>
          {{ changed ? 'It will look so:' : 'It looks so:' }}
          <span class="ml-1 inline-flex items-center gap-1.5 font-semibold" :style="{ color: toneColour(style.tone) }"
            ><ShapeMark :shape="style.shape" :tone="style.tone" />{{ style.label.trim() || grade.name }}</span
          >
        </p>
        <p v-if="twin" role="alert" class="text-red">{{ twin.label }} already looks so.</p>
        <PublishWhy
          v-if="may('changeGrade') && changed && !twin"
          button="Restyle and publish"
          :pending="restyle.isPending.value"
          :error="restyle.error.value"
          :disabled="!style.label.trim()"
          @publish="(note) => restyle.mutate(note)"
        >
          <button type="button" class="button" @click="reset()">As it was</button>
        </PublishWhy>
        <p v-else-if="restyle.data.value && !changed" role="status" class="text-muted">
          Revision {{ restyle.data.value.number }} is published: every mark of this grade follows.
        </p>
      </section>
    </div>
  </div>
</template>
