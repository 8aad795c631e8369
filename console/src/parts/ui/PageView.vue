<script setup lang="ts">
import { computed } from 'vue'
import { useRoute } from 'vue-router'

import { usePeriod } from '@/lib/period'
import { useRulebook } from '@/lib/rulebook'
import StartNote from '@/parts/ui/StartNote.vue'

/** The page of the route, or, where it shows nothing before there is a rulebook or lines, what there is to do. */
const route = useRoute()
const { book } = useRulebook()
const { query: periods } = usePeriod()
const missing = computed(
  () =>
    !!route.meta.needs &&
    !!book.value &&
    (!book.value.revision || (route.meta.needs === 'lines' && periods.data.value?.length === 0)),
)
</script>

<template>
  <StartNote v-if="missing" :rulebook="!!book?.revision" />
  <RouterView v-else />
</template>
