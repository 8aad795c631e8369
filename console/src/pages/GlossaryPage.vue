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
      <div class="mt-2 overflow-x-auto">
        <table class="table w-full">
          <caption class="sr-only">
            {{
              s.title
            }}
          </caption>
          <thead>
            <tr>
              <th v-for="h in s.heads" :key="h" scope="col" class="text-left">{{ h }}</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="r in s.rows" :key="r[0]">
              <th scope="row" class="text-left font-semibold">{{ r[0] }}</th>
              <td v-for="(c, i) in r.slice(1)" :key="i" class="whitespace-normal">{{ c }}</td>
            </tr>
          </tbody>
        </table>
      </div>
    </template>
  </section>
</template>
