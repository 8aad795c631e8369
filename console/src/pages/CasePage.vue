<script setup lang="ts">
import { computed } from 'vue'
import { useRoute } from 'vue-router'

import CaseView from '@/parts/CaseView.vue'

const route = useRoute()
const id = computed(() => Number(route.params.id))
</script>

<template>
  <CaseView :id="id" page />
</template>
