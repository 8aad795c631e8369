<script setup lang="ts">
import { namesIn } from '@/lib/caseparts'

/** What somebody said, as text alone; who is named in it stands out. */
defineProps<{ text: string }>()
</script>

<template>
  <span class="break-words whitespace-pre-line"
    ><template v-for="(p, i) in namesIn(text)" :key="i"
      ><strong v-if="p.name" class="font-semibold text-tide">{{ p.text }}</strong
      ><template v-else>{{ p.text }}</template></template
    ></span
  >
</template>
