<script setup lang="ts">
import { sectionsOf } from '@/lib/glossary'
import text from '../../../docs/glossary.md?raw'

/** The terms of Oskel, as docs/glossary.md has them. */
const sections = sectionsOf(text)
</script>

<template>
  <section class="max-w-4xl p-4">
    <h1 class="text-title font-semibold">Glossary</h1>
    <template v-for="s in sections" :key="s.title">
      <h2 class="mt-6 text-lead font-semibold">{{ s.title }}</h2>
      <dl class="mt-2 border-t border-line">
        <div
          v-for="r in s.rows"
          :key="r[0]"
          class="grid gap-x-6 border-b border-line py-1.5 sm:grid-cols-[14rem_minmax(0,1fr)]"
        >
          <dt class="font-semibold">
            {{ r[0] }}<span v-if="r.length > 2" class="block text-small font-normal text-muted">{{ r[1] }}</span>
          </dt>
          <dd>{{ r.at(-1) }}</dd>
        </div>
      </dl>
    </template>
  </section>
</template>
