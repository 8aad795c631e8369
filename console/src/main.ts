import { VueQueryPlugin, QueryClient } from '@tanstack/vue-query'
import { createApp } from 'vue'

import App from './App.vue'
import { Refusal } from './lib/api'
import { held } from './lib/held'
import { router } from './lib/router'
import { applyTheme } from './lib/theme'
import './style.css'

applyTheme()

const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 15_000,
      // What was refused stays refused; what did not answer may do so yet.
      retry: (count, error) => !(error instanceof Refusal) && count < 2,
    },
  },
})

const app = createApp(App).directive('held', held).use(router).use(VueQueryPlugin, { queryClient: queries })
// Nothing asks the service before the page that was meant is known.
router.isReady().then(() => app.mount('#app'))
