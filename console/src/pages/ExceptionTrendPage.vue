<script setup lang="ts">
import { computed } from 'vue'

import { usePeriod } from '@/lib/period'
import { useQueryWord } from '@/lib/query'
import ExceptionTabs from '@/parts/exceptions/ExceptionTabs.vue'
import TrendTable from '@/parts/exceptions/TrendTable.vue'
import SelectOne from '@/parts/ui/SelectOne.vue'

/** How many are flagged, period by period; and of all how many are new, still there and gone. */
const { period, label } = usePeriod()
const by = useQueryWord('by')
const choice = computed(() => (by.value || 'rule') as 'rule' | 'desk' | 'kind' | 'grade')
</script>

<template>
  <section class="min-w-0 flex-1">
    <ExceptionTabs />
    <h1 class="sr-only">Exceptions by period, up to {{ label }}</h1>
    <div class="flex flex-wrap items-center gap-2 px-4 pt-3 pb-2">
      <SelectOne
        v-model="by"
        label="By"
        all="By rule"
        :options="[
          { value: 'desk', text: 'By desk' },
          { value: 'kind', text: 'By kind' },
          { value: 'grade', text: 'By grade' },
        ]"
      />
    </div>
    <TrendTable :period="period" :by="choice" class="mx-2 max-h-[max(18rem,calc(100vh-6rem))]" />
  </section>
</template>
