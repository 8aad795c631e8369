<script setup lang="ts">
import { computed } from 'vue'
import { useRouter } from 'vue-router'

import { useRulebook } from '@/lib/rulebook'
import SelectOne from '@/parts/ui/SelectOne.vue'

/** Picks the kind of subject a page of the data is about; the first is that of the bare path. */
defineProps<{ path: string; kind: string }>()
const router = useRouter()
const { book } = useRulebook()
const kinds = computed(() => book.value?.kinds ?? [])
</script>

<template>
  <SelectOne
    label="Kind"
    :model-value="kind === kinds[0]?.name ? '' : kind"
    :all="kinds[0]?.plural ?? ''"
    :options="kinds.slice(1).map((k) => ({ value: k.name, text: k.plural }))"
    @update:model-value="(v) => router.replace({ path: v ? `${path}/${v}` : path, query: {} })"
  />
</template>
