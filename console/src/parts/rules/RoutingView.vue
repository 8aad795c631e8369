<script setup lang="ts">
import { Disclosure, DisclosureButton, DisclosurePanel } from '@headlessui/vue'
import { ChevronRightIcon } from '@heroicons/vue/20/solid'

import RoutingRehearsal from '@/parts/rules/RoutingRehearsal.vue'

/** Preview of routing by the routes of a draft; tried where one opens it. */
defineProps<{ text: string; period: string }>()
</script>

<template>
  <Disclosure v-slot="{ open }" as="section">
    <DisclosureButton class="flex items-center font-semibold hover:text-tide">
      <ChevronRightIcon class="size-4" :class="open ? 'rotate-90' : ''" aria-hidden="true" />Preview of routing
    </DisclosureButton>
    <DisclosurePanel class="mt-1"><RoutingRehearsal :text="text" :period="period" /></DisclosurePanel>
  </Disclosure>
</template>
