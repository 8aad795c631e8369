import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'

import { api, need, type Schemas } from './api'

export type Method = Schemas['Method']
export type Setting = Schemas['MethodSetting']

/** The outlier and event-window methods that a rule may judge by. */
export function useMethods() {
  const query = useQuery({
    queryKey: ['methods'],
    queryFn: () => need(api.GET('/api/methods')),
    staleTime: Infinity,
  })
  return computed(() => query.data.value ?? [])
}

/** How a method is told apart from all others. */
export const methodKey = (m: Method) => `${m.family}: ${m.name}`

const headings: Record<Method['among'], string> = {
  peers: 'Far from its peers',
  'own past': 'Unlike its own past',
  lines: 'Patterns in dated lines',
}

/** The methods by what they look at, each with a heading. */
export function methodGroups(all: Method[]) {
  return (Object.keys(headings) as Method['among'][])
    .map((among) => ({ among, title: headings[among], methods: all.filter((m) => m.among === among) }))
    .filter((g) => g.methods.length > 0)
}

/** How a setting is called beside its field. */
export const settingTitle = (s: Setting) => {
  if (s.type === 'measure') return 'Measure'
  const words = s.key.replaceAll('_', ' ')
  return words[0].toUpperCase() + words.slice(1)
}
