<script setup lang="ts">
import { ref } from 'vue'

import TextField from '@/parts/ui/TextField.vue'

/** Publishes a small change with its reason; buttons beside go in the slot. */
defineProps<{ button: string; pending: boolean; error?: Error | null; disabled?: boolean }>()
const emit = defineEmits<{ publish: [note: string] }>()
const note = ref('')
</script>

<template>
  <form class="flex flex-wrap items-end gap-2 border-t border-line pt-3" @submit.prevent="emit('publish', note.trim())">
    <div class="min-w-60 flex-1">
      <TextField v-model="note" label="Reason for the change" maxlength="500" />
    </div>
    <button class="button-main" :disabled="!note.trim() || pending || disabled">{{ button }}</button>
    <slot />
    <p v-if="error" role="alert" class="w-full text-red">{{ error.message }}</p>
  </form>
</template>
