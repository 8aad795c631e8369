<script setup lang="ts">
import { Disclosure, DisclosureButton, DisclosurePanel } from '@headlessui/vue'
import { ChevronRightIcon } from '@heroicons/vue/20/solid'

import type { Schemas } from '@/lib/api'
import { monthWords } from '@/lib/format'
import EvidencePanel from '@/parts/exceptions/EvidencePanel.vue'
import GradeMark from '@/parts/ui/GradeMark.vue'

/** One flag of a case: its sentence, and what backs it up where one opens it. */
defineProps<{ flag: Schemas['Exception']; open: boolean; head: string; finding?: string }>()
</script>

<template>
  <Disclosure v-slot="{ open: shown }" as="li" class="border-b border-line py-2" :default-open="open">
    <p class="flex flex-wrap items-center gap-x-3">
      <GradeMark :grade="flag.grade" :state="flag.state" :outcome="flag.outcome" />
      <RouterLink :to="`/exceptions/${flag.id}`">{{ flag.rule_title }}</RouterLink>
      <span class="text-small text-muted">{{ monthWords(flag.period) }}</span>
      <span v-if="finding" class="text-small">settled as {{ finding }}</span>
      <DisclosureButton class="ml-auto flex items-center text-small text-muted hover:text-tide">
        <ChevronRightIcon class="size-4" :class="shown ? 'rotate-90' : ''" aria-hidden="true" />
        Evidence<span class="sr-only">: {{ flag.rule_title }}, {{ monthWords(flag.period) }}</span>
      </DisclosureButton>
    </p>
    <p class="mt-0.5">{{ flag.sentence }}</p>
    <DisclosurePanel class="mt-2 mb-3 space-y-4">
      <EvidencePanel :id="flag.id" :head="head" />
    </DisclosurePanel>
  </Disclosure>
</template>
