<script setup lang="ts">
import { computed } from 'vue'
import { useRoute } from 'vue-router'

import ExceptionView from '@/parts/exceptions/ExceptionView.vue'

const route = useRoute()
const id = computed(() => Number(route.params.id))
const sweep = computed(() => Number(route.query.sweep) || undefined)
</script>

<template>
  <ExceptionView :id="id" :sweep="sweep" page />
</template>
