<script setup lang="ts">
import { computed } from 'vue'

import { settingTitle, type Method, type Setting } from '@/lib/methods'
import { useRule, valueOf } from '@/lib/ruleform'
import CutField from './CutField.vue'
import FaultLines from './FaultLines.vue'
import GradeSelect from './GradeSelect.vue'
import MeasureSelect from './MeasureSelect.vue'
import MethodPicture from './MethodPicture.vue'

/** The settings of an outlier or event-window method, drawn from its description. */
const props = defineProps<{ method: Method }>()
const { d, book, attributes, hints, at, set } = useRule()
const settings = computed(() => d.value[props.method.family] ?? {})
const text = (s: Setting) => settings.value[s.key] ?? s.default ?? ''

function put(key: string, value: string | undefined) {
  const next = { ...settings.value }
  if (value) next[key] = value
  else delete next[key]
  set({ [props.method.family]: next })
}
const listed = (s: Setting) => text(s).split(', ').filter(Boolean)
function toggle(s: Setting, word: string) {
  const on = listed(s)
  put(s.key, (s.choices ?? []).filter((c) => (c === word ? !on.includes(c) : on.includes(c))).join(', '))
}
</script>

<template>
  <div class="mt-2 space-y-2">
    <div class="flex items-start gap-3">
      <MethodPicture :method="method.name" />
      <p class="text-small text-muted">
        {{ method.good }}. <span class="block">Needs: {{ method.needs }}.</span>
      </p>
    </div>
    <div class="grid grid-cols-2 gap-x-3 gap-y-2">
      <label
        v-for="s in method.settings"
        :key="s.key"
        class="block text-small text-muted"
        :class="{ 'col-span-2': s.type === 'lines' || s.type === 'words' }"
      >
        <span :title="s.says"
          >{{ settingTitle(s) }}<template v-if="!s.required && !s.default"> (optional)</template></span
        >
        <MeasureSelect
          v-if="s.type === 'measure'"
          class="mt-0.5 block w-full"
          :label="settingTitle(s)"
          :model-value="text(s)"
          @update:model-value="(v) => put(s.key, v)"
        />
        <select
          v-else-if="s.type === 'attribute'"
          class="field mt-0.5 block w-full"
          :aria-label="settingTitle(s)"
          :value="text(s)"
          @change="(e) => put(s.key, valueOf(e))"
        >
          <option value="">all</option>
          <option v-for="a in attributes" :key="a.name" :value="a.name">the same {{ a.name.split('.')[1] }}</option>
        </select>
        <select
          v-else-if="s.type === 'word'"
          class="field mt-0.5 block w-full"
          :aria-label="settingTitle(s)"
          :value="text(s)"
          @change="(e) => put(s.key, valueOf(e))"
        >
          <option v-if="!s.required && !s.default" value="">not asked</option>
          <option v-for="c in s.choices" :key="c">{{ c }}</option>
        </select>
        <span v-else-if="s.type === 'words'" class="mt-0.5 flex flex-wrap gap-x-3 gap-y-1">
          <label v-for="c in s.choices" :key="c" class="inline-flex items-center gap-1 text-ink">
            <input type="checkbox" :checked="listed(s).includes(c)" @change="toggle(s, c)" />{{ c }}
          </label>
        </span>
        <GradeSelect
          v-else-if="s.type === 'grade'"
          class="mt-0.5 block w-full"
          :label="settingTitle(s)"
          :model-value="text(s)"
          @update:model-value="(v) => put(s.key, v)"
        />
        <template v-else-if="s.type === 'lines'">
          <input
            class="field mt-0.5 block w-full font-mono text-small"
            :aria-label="settingTitle(s)"
            list="feeds-of-rules"
            :placeholder="`such as ${hints.lines}`"
            :value="text(s)"
            @change="(e) => put(s.key, valueOf(e))"
          />
        </template>
        <CutField
          v-else
          class="mt-0.5 block w-full"
          :label="settingTitle(s)"
          :placeholder="s.example ? `such as ${s.example.replaceAll(`'`, '')}` : undefined"
          :model-value="text(s)"
          @update:model-value="(v) => put(s.key, v)"
        />
      </label>
    </div>
    <datalist id="feeds-of-rules">
      <option v-for="f in book?.feeds ?? []" :key="f.name" :value="f.name"></option>
    </datalist>
    <FaultLines :faults="at(method.family)" />
  </div>
</template>
