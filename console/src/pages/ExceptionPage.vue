<script setup lang="ts">
import { computed } from 'vue'
import { useRoute } from 'vue-router'

import ExceptionView from '@/parts/ExceptionView.vue'

const route = useRoute()
const id = computed(() => Number(route.params.id))
</script>

<template>
  <ExceptionView :id="id" page />
</template>
