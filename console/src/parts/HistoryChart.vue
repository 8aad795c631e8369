<script setup lang="ts">
import { LineChart, ScatterChart } from 'echarts/charts'
import { GridComponent, MarkLineComponent, TooltipComponent } from 'echarts/components'
import { init, use, type ECharts } from 'echarts/core'
import { SVGRenderer } from 'echarts/renderers'
import { onBeforeUnmount, onMounted, ref, watch } from 'vue'

import type { Schemas } from '@/lib/api'
import { numberWords } from '@/lib/format'
import { useRulebook } from '@/lib/rulebook'
import { theme } from '@/lib/theme'

use([LineChart, ScatterChart, GridComponent, MarkLineComponent, TooltipComponent, SVGRenderer])

/** A subject's value by period, the cut drawn with its number; a gap where
 *  there was none. The same as a table for those who cannot see it. */
const props = defineProps<{ history: Schemas['History']; name: string }>()
const { grade } = useRulebook()

const box = ref<HTMLElement>()
let chart: ECharts | undefined
let size: ResizeObserver | undefined

const symbols: Record<string, string> = {
  diamond: 'diamond',
  triangle: 'triangle',
  square: 'rect',
  circle: 'circle',
  cross: 'path://M-5-3-3-5 0-2 3-5 5-3 2 0 5 3 3 5 0 2-3 5-5 3-2 0z',
}

// An axis that begins and ends on a round step, with a little room.
function roundAxis(low: number, high: number) {
  const room = (high - low || Math.abs(high) || 1) * 0.08
  const rough = (high - low + 2 * room) / 4
  const power = 10 ** Math.floor(Math.log10(rough))
  const interval = [1, 2, 5, 10].map((n) => n * power).find((n) => n >= rough)!
  return {
    min: Math.floor((low - room) / interval) * interval,
    max: Math.ceil((high + room) / interval) * interval,
    interval,
  }
}

function draw() {
  if (!chart) return
  const style = getComputedStyle(document.documentElement)
  const colour = (name: string) => style.getPropertyValue(`--${name}`).trim()
  const { points, cuts, unit } = props.history
  const values = points.flatMap((p) => (p.held === undefined ? [] : [p.held])).concat(cuts)
  const axis = roundAxis(Math.min(...values), Math.max(...values))
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
          const p = points[hits[0].dataIndex]
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
        ...axis,
        axisLabel: {
          ...text,
          formatter: (v: number) => numberWords(v, unit, axis.interval),
        },
        splitLine: { lineStyle: { color: colour('line') } },
      },
      series: [
        {
          type: 'line',
          data: points.map((p) => {
            const g = p.grade ? grade(p.grade) : undefined
            return {
              value: p.held ?? null,
              symbol: g ? (symbols[g.shape] ?? 'circle') : 'circle',
              symbolSize: g ? 12 : 5,
              itemStyle: { color: g ? colour(g.tone) : colour('muted') },
            }
          }),
          lineStyle: { color: colour('muted'), width: 1.5 },
          connectNulls: false,
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
    <figcaption class="text-small font-semibold">{{ history.axis }}, by month</figcaption>
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
        by month
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
