<script setup lang="ts">
import { LineChart, ScatterChart } from 'echarts/charts'
import { GridComponent, MarkLineComponent, TooltipComponent } from 'echarts/components'
import { init, use, type ECharts } from 'echarts/core'
import { SVGRenderer } from 'echarts/renderers'
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue'

import type { Schemas } from '@/lib/api'
import { countWords, numberWords } from '@/lib/format'
import { useRulebook } from '@/lib/rulebook'
import { roundAxis } from '@/lib/scale'
import { shapePath } from '@/lib/shapes'
import { theme } from '@/lib/theme'
import ShapeMark from '@/parts/ui/ShapeMark.vue'

use([LineChart, ScatterChart, GridComponent, MarkLineComponent, TooltipComponent, SVGRenderer])

/** A subject's value by period, the cut drawn with its number; a gap where
 *  there was none. The same as a table for those who cannot see it. */
const props = defineProps<{ history: Schemas['History']; name: string }>()
const { grade } = useRulebook()

const box = ref<HTMLElement>()
let chart: ECharts | undefined
let size: ResizeObserver | undefined

const symbol = (shape?: string) => (shape ? `path://${shapePath(shape)}` : 'circle')

// A record that would flatten the rest is drawn at the edge, with its number.
const axis = computed(() =>
  roundAxis(
    [
      ...props.history.points.flatMap((p) => (p.held === undefined ? [] : [p.held])),
      ...(props.history.beside ?? []).flatMap((b) => b.held.filter((v) => v !== null)),
    ],
    props.history.cuts,
  ),
)
// Where no two that follow one another are held, such as of a window once a year, they are joined.
const apart = computed(
  () => !props.history.points.some((p, i, all) => p.held !== undefined && all[i - 1]?.held !== undefined),
)
const beyond = (v?: number) => v !== undefined && (v > axis.value.max || v < axis.value.min)
const marked = computed(() => [...new Set(props.history.points.flatMap((p) => (p.grade ? [p.grade] : [])))].map(grade))
const cutOff = computed(() => props.history.points.filter((p) => beyond(p.held)).length)

function draw() {
  if (!chart) return
  const style = getComputedStyle(document.documentElement)
  const colour = (name: string) => style.getPropertyValue(`--${name}`).trim()
  const { points, cuts, unit } = props.history
  const { min, max, interval } = axis.value
  const text = { color: colour('muted'), fontFamily: style.getPropertyValue('font-family') || 'inherit', fontSize: 12 }
  chart.setOption(
    {
      animation: false,
      grid: { left: 8, right: 64, top: 16, bottom: 4, containLabel: true },
      tooltip: {
        trigger: 'axis',
        backgroundColor: colour('card'),
        borderColor: colour('line'),
        textStyle: { ...text, color: colour('ink') },
        formatter: (hits: { dataIndex: number }[]) => {
          const p = points[hits[0].dataIndex] // of whichever line
          return `${p.label}: ${p.text || p.outcome}${p.grade ? ` · ${grade(p.grade).label}` : ''}`
        },
      },
      xAxis: {
        type: 'category',
        data: points.map((p) => p.label),
        axisLine: { lineStyle: { color: colour('line') } },
        axisTick: { show: false },
        axisLabel: {
          ...text,
          formatter: (l: string) => (l.startsWith('Jan') ? l : l.slice(0, 3)),
          interval: 0,
          hideOverlap: true,
        },
      },
      yAxis: {
        type: 'value',
        min,
        max,
        interval,
        axisLabel: {
          ...text,
          formatter: (v: number) => numberWords(v, unit, interval),
        },
        splitLine: { lineStyle: { color: colour('line') } },
      },
      series: [
        ...(props.history.beside ?? []).map((b) => ({
          type: 'line',
          silent: true,
          tooltip: { show: false },
          symbol: 'none',
          data: b.held.map((v) => (v === null ? null : Math.min(max, Math.max(min, v)))),
          lineStyle: { color: colour('tide'), width: 1, opacity: 0.55 },
        })),
        {
          type: 'line',
          z: 5,
          data: points.map((p, i) => {
            const g = p.grade ? grade(p.grade) : undefined
            return {
              value: p.held === undefined ? null : Math.min(max, Math.max(min, p.held)),
              label: {
                show: beyond(p.held),
                position: i > points.length / 2 ? 'left' : 'right',
                backgroundColor: colour('paper'),
                padding: 2,
                formatter: `${p.held !== undefined && p.held < min ? '↓' : '↑'} ${p.text}`,
                ...text,
              },
              symbol: symbol(g?.shape),
              symbolSize: g ? 12 : 5,
              symbolKeepAspect: true,
              itemStyle: { color: g ? colour(g.tone) : colour('muted') },
            }
          }),
          lineStyle: { color: colour('muted'), width: 1.5 },
          connectNulls: apart.value,
          showAllSymbol: true,
          markLine: {
            silent: true,
            symbol: 'none',
            animation: false,
            lineStyle: { color: colour('tide'), type: 'dashed' },
            label: { ...text, color: colour('tide'), formatter: (m: { value: number }) => numberWords(m.value, unit) },
            data: cuts.map((c) => ({ yAxis: c })),
          },
        },
      ],
    },
    true,
  )
}

onMounted(() => {
  chart = init(box.value!, undefined, { renderer: 'svg' })
  size = new ResizeObserver(() => chart?.resize())
  size.observe(box.value!)
  draw()
})
onBeforeUnmount(() => {
  size?.disconnect()
  chart?.dispose()
})
watch(() => props.history, draw)
watch(theme, () => requestAnimationFrame(draw))
</script>

<template>
  <figure class="min-w-0">
    <figcaption class="text-small font-semibold">
      {{ history.axis }}, by {{ history.each
      }}<span v-if="cutOff" class="ml-2 font-normal text-muted">↑ ↓ beyond the scale, with its number</span>
    </figcaption>
    <p class="flex flex-wrap gap-x-4 text-small text-muted" aria-hidden="true">
      <span class="flex items-center gap-1.5"
        ><svg width="22" height="8"><path d="M0 4H22" class="stroke-muted" stroke-width="1.5" /></svg>{{ name
        }}{{ apart ? ', joined where nothing is judged between' : '' }}</span
      >
      <span v-if="history.cuts.length" class="flex items-center gap-1.5"
        ><svg width="22" height="8"><path d="M0 4H22" class="stroke-tide" stroke-dasharray="4 3" /></svg
        >{{ history.cuts.length === 1 ? 'the cut' : 'the cuts' }}</span
      >
      <span v-if="history.beside?.length" class="flex items-center gap-1.5"
        ><svg width="22" height="8"><path d="M0 4H22" class="stroke-tide opacity-55" /></svg
        >{{ countWords(history.beside.length, 'other') }}</span
      >
      <span v-for="g in marked" :key="g.name" class="flex items-center gap-1"
        ><ShapeMark :shape="g.shape" :tone="g.tone" />{{ g.label }}</span
      >
    </p>
    <div ref="box" class="h-44 w-full max-w-[760px]" aria-hidden="true"></div>
    <table class="sr-only">
      <caption>
        {{
          history.axis
        }}
        of
        {{
          name
        }}
        by
        {{
          history.each
        }}
      </caption>
      <thead>
        <tr>
          <th>Period</th>
          <th>Value</th>
          <th>Verdict</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="p in history.points" :key="p.period">
          <td>{{ p.label }}</td>
          <td>{{ p.text }}</td>
          <td>{{ p.grade ? grade(p.grade).label : p.outcome }}</td>
        </tr>
      </tbody>
    </table>
  </figure>
</template>
