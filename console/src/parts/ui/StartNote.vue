<script setup lang="ts">
import { computed } from 'vue'

import { useSession } from '@/lib/session'

/** What there is to do in a service that has no rulebook yet, or no lines: for whoever can do it, else who does. */
const props = defineProps<{ rulebook: boolean }>()
const { may } = useSession()
const writes = computed(() => may('publishRevision'))
const steps = computed(() => [
  { done: props.rulebook, text: 'Write a rulebook draft and publish it', to: '/rules/draft?as=file' },
  { done: false, text: 'Load registers, then lines', to: '/data' },
  { done: false, text: 'Sweep a period', to: '/sweeps' },
])
</script>

<template>
  <div class="m-4 max-w-xl rounded-md border border-dashed border-line p-6">
    <template v-if="writes">
      <h1 class="text-lead font-semibold">
        {{ rulebook ? 'No data has been loaded yet' : 'No data yet' }}
      </h1>
      <ol class="mt-2 list-inside list-decimal space-y-1">
        <li v-for="s in steps" :key="s.to">
          <span v-if="s.done" class="text-muted">{{ s.text }}: done</span>
          <RouterLink v-else :to="s.to">{{ s.text }}</RouterLink>
        </li>
      </ol>
      <p class="mt-3 text-small text-muted">
        {{ rulebook ? 'With the command line: oskel load.' : 'With the command line: oskel publish, then oskel load.' }}
      </p>
    </template>
    <template v-else>
      <h1 class="text-lead font-semibold">No exceptions yet</h1>
      <p class="mt-2">
        An analyst {{ rulebook ? 'loads the lines' : 'publishes a rulebook, loads the lines' }} and sweeps a period.
        What is flagged for you is then on your <RouterLink to="/desk">desk</RouterLink>.
      </p>
    </template>
  </div>
</template>
