<script setup lang="ts">
import { ref } from 'vue'

import type { Schemas } from '@/lib/api'
import { useCaseParts } from '@/lib/caseparts'
import { useSession } from '@/lib/session'
import { usePeople } from '@/lib/people'

const { nameOf } = usePeople()

/** What is attached to a case. */
const props = defineProps<{ id: number; files: Schemas['CaseFile'][]; maySay: boolean; head: string }>()
const { person, may } = useSession()
const { attach, dropFile } = useCaseParts(() => props.id)
const pick = ref<HTMLInputElement>()
const endings = '.pdf,.png,.jpg,.jpeg,.txt,.csv,.eml,.xlsx,.docx,.pptx,.ods,.odt'
function send() {
  const files = [...(pick.value?.files ?? [])]
  if (files.length) attach.mutate(files)
  pick.value!.value = ''
}
const sizeWords = (n: number) => (n < 1 << 20 ? `${Math.ceil(n / 1024)} kB` : `${(n / (1 << 20)).toFixed(1)} MB`)
</script>

<template>
  <section v-if="files.length || maySay" aria-label="Files">
    <component :is="head" class="text-small font-semibold text-muted">Files</component>
    <ul v-if="files.length" class="mt-1">
      <li v-for="f in files" :key="f.id" class="flex items-baseline gap-2 border-b border-line py-1.5">
        <a class="min-w-0 flex-1 break-words" :href="`/api/cases/${id}/files/${f.id}`" download>{{ f.name }}</a>
        <span class="text-small whitespace-nowrap text-muted">{{ sizeWords(f.size) }}, {{ nameOf(f.by) }}</span>
        <button
          v-if="f.by === person?.name || may('changeOthers')"
          class="text-small text-muted hover:text-red"
          :aria-label="`Remove: ${f.name}`"
          @click="dropFile.mutate(f.id)"
        >
          Remove
        </button>
      </li>
    </ul>
    <template v-if="maySay">
      <input
        ref="pick"
        type="file"
        multiple
        :accept="endings"
        class="sr-only"
        tabindex="-1"
        aria-label="Files to attach"
        @change="send"
      />
      <button class="button mt-1" :disabled="attach.isPending.value" @click="pick?.click()">
        {{ attach.isPending.value ? 'Sending…' : 'Attach files' }}
      </button>
    </template>
    <p v-if="attach.error.value || dropFile.error.value" role="alert" class="text-red">
      {{ (attach.error.value ?? dropFile.error.value)!.message }}
    </p>
  </section>
</template>
