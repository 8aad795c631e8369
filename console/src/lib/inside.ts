import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query'
import { mount } from '@vue/test-utils'
import { defineComponent, h, type Component } from 'vue'
import { createMemoryHistory, createRouter } from 'vue-router'

import { held } from './held'

/** Shows a part of the console in a page, for its tests. */
export async function show(part: Component, props: Record<string, unknown> = {}) {
  const router = createRouter({
    history: createMemoryHistory(),
    routes: [{ path: '/:rest(.*)*', component: { render: () => null } }],
  })
  await router.push('/')
  const queries = new QueryClient({ defaultOptions: { queries: { retry: false } } })
  const page = mount(part, {
    props,
    attachTo: document.body,
    global: { directives: { held }, plugins: [router, [VueQueryPlugin, { queryClient: queries }]] },
  })
  return { router, queries, page }
}

/** Runs a composable in a page, for its tests. */
export async function inside<T>(use: () => T) {
  let out!: T
  const of = await show(
    defineComponent({
      setup() {
        out = use()
        return () => h('div')
      },
    }),
  )
  return { out, ...of }
}
