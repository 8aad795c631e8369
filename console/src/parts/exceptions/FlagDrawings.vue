<script setup lang="ts">
import { computed, defineAsyncComponent } from 'vue'

import type { Schemas } from '@/lib/api'
import { eventsOf, pastOf } from '@/lib/evidence'
import { useRulebook } from '@/lib/rulebook'
import PastDrawing from '@/parts/exceptions/PastDrawing.vue'
import TimeLine from '@/parts/exceptions/TimeLine.vue'
import VarianceView from '@/parts/figures/VarianceView.vue'

const HistoryChart = defineAsyncComponent(() => import('@/parts/exceptions/HistoryChart.vue'))

/** What backs an exception up, drawn: its own past, the lines that decided, why it moved, its history. */
const props = defineProps<{ detail: Schemas['ExceptionDetail']; head: string }>()
const { book } = useRulebook()
const past = computed(() => pastOf(props.detail.evidence ?? {}))
const events = computed(() => eventsOf(props.detail.evidence ?? {}))
const feedTitle = (name: string) => book.value?.feeds.find((f) => f.name === name)?.title ?? name
const unit = computed(() => String(props.detail.evidence.unit ?? 'count'))
</script>

<template>
  <section v-if="past">
    <component :is="head" class="text-small font-semibold text-muted">Its own past</component>
    <PastDrawing :past="past" :unit="unit" :title="detail.exception.name" :grade="detail.exception.grade" />
  </section>
  <section v-if="events">
    <component :is="head" class="text-small font-semibold text-muted">The lines that decided</component>
    <TimeLine :events="events" :feeds="feedTitle" />
  </section>
  <section v-if="detail.walk">
    <component :is="head" class="text-small font-semibold text-muted">Why it moved</component>
    <VarianceView
      :measure="detail.walk.measure"
      :from="detail.walk.from"
      :by="detail.exception.kind"
      :subject="detail.exception.key"
      :period="detail.exception.period"
    />
  </section>
  <slot />
  <HistoryChart :history="detail.history" :name="detail.exception.name" />
</template>
