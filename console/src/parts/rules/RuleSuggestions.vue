<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRouter } from 'vue-router'

import { api, need, type Schemas } from '@/lib/api'
import { useSession } from '@/lib/session'
import { refresh } from '@/lib/queries'

/** What reviewers found of a rule, and changes that are proven on it; one opens as a
 *  draft in rehearsal. */
const props = defineProps<{ rule: string; period: string; explained: number }>()
const { may } = useSession()
const router = useRouter()
const queries = useQueryClient()
const worth = computed(() => props.explained >= 3)
const found = useQuery({
  queryKey: computed(() => ['proposals', props.rule, props.period]),
  queryFn: () =>
    need(
      api.GET('/api/rules/{rule}/suggestions', {
        params: { path: { rule: props.rule }, query: { period: props.period } },
      }),
    ),
  enabled: worth,
  staleTime: 60_000,
})
const open = useMutation({
  mutationFn: async (p: Schemas['Suggestion']) => {
    const now = await need(api.GET('/api/draft'))
    const rulebook = await need(api.GET('/api/rulebook'))
    return need(api.PUT('/api/draft', { body: { text: p.text, based_on: rulebook.revision, version: now.version } }))
  },
  onSuccess: async () => {
    await refresh(queries, 'draft')
    await router.push({ path: '/rules/draft', query: { rule: props.rule } })
  },
})
</script>

<template>
  <section v-if="worth" class="mt-4">
    <h3 class="text-small font-semibold text-muted">Suggestions, backtested on settled cases</h3>
    <p v-if="found.isPending.value" role="status" class="text-small text-muted">
      Testing other minimums, cuts and scopes…
    </p>
    <p v-else-if="found.error.value" role="alert" class="text-small text-red">{{ found.error.value.message }}</p>
    <p v-else-if="!found.data.value?.proposals.length" class="text-small text-muted">
      No change would drop explained cases and keep the confirmed ones.
    </p>
    <ul v-else>
      <li v-for="p in found.data.value.proposals" :key="p.words" class="border-b border-line py-1.5">
        <p>{{ p.words }}</p>
        <button v-if="may('putDraft')" class="button mt-1" :disabled="open.isPending.value" @click="open.mutate(p)">
          Put it in my draft
        </button>
      </li>
    </ul>
    <p v-if="open.error.value" role="alert" class="text-small text-red">{{ open.error.value.message }}</p>
  </section>
</template>
