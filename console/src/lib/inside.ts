import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query'
import { mount } from '@vue/test-utils'
import { defineComponent, h } from 'vue'
import { createMemoryHistory, createRouter } from 'vue-router'

/** Runs a composable in a page, for its tests. */
export async function inside<T>(use: () => T) {
  const router = createRouter({
    history: createMemoryHistory(),
    routes: [{ path: '/:rest(.*)*', component: { render: () => null } }],
  })
  await router.push('/')
  const queries = new QueryClient({ defaultOptions: { queries: { retry: false } } })
  let out!: T
  const page = mount(
    defineComponent({
      setup() {
        out = use()
        return () => h('div')
      },
    }),
    { global: { plugins: [router, [VueQueryPlugin, { queryClient: queries }]] } },
  )
  return { out, router, queries, page }
}
