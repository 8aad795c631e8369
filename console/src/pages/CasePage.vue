<script setup lang="ts">
import { computed } from 'vue'
import { useRoute } from 'vue-router'

import { useLive } from '@/lib/live'
import CaseView from '@/parts/cases/CaseView.vue'

const route = useRoute()
const id = computed(() => Number(route.params.id))
useLive(['case_events', 'sweeps'], 'casesOfOthers')
</script>

<template>
  <CaseView :id="id" page />
</template>
