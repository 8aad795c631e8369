<script setup lang="ts">
import {
  ArchiveBoxIcon,
  ArrowPathIcon,
  ArrowRightStartOnRectangleIcon,
  ChartBarSquareIcon,
  InboxStackIcon,
  ListBulletIcon,
  MoonIcon,
  ScaleIcon,
  SunIcon,
  TableCellsIcon,
  UserCircleIcon,
  QuestionMarkCircleIcon,
  UsersIcon,
} from '@heroicons/vue/24/outline'
import { computed, defineAsyncComponent } from 'vue'
import { useRoute } from 'vue-router'

import { asking } from './lib/acts'
import { countWords } from './lib/format'
import { useSession, useSignOut } from './lib/session'
import { theme, turnTheme } from './lib/theme'
import { useNotices } from './lib/caseparts'
import UndoToast from '@/parts/cases/UndoToast.vue'
import PeriodStrip from '@/parts/sweeps/PeriodStrip.vue'
import PageView from '@/parts/ui/PageView.vue'

const ActDialog = defineAsyncComponent(() => import('@/parts/cases/ActDialog.vue'))

const route = useRoute()
const { person, may } = useSession()
const signOut = useSignOut()
const { news } = useNotices()

// In the order in which the work is done.
const sections = [
  { path: '/overview', name: 'Overview', icon: ChartBarSquareIcon },
  { path: '/figures', name: 'Figures', icon: TableCellsIcon },
  { path: '/rules', name: 'Rules', icon: ScaleIcon },
  { path: '/sweeps', name: 'Sweeps', icon: ArrowPathIcon },
  { path: '/exceptions', name: 'Exceptions', icon: ListBulletIcon },
  { path: '/desk', name: 'Desk', icon: InboxStackIcon },
  { path: '/data', name: 'Data', icon: ArchiveBoxIcon },
]
const belongs: Record<string, string> = {
  '/cases': '/desk',
  '/measures': '/figures',
  '/tables': '/figures',
  '/boards': '/figures',
  '/subjects': '/exceptions',
}
const here = computed(() => {
  const first = '/' + route.path.split('/')[1]
  return belongs[first] ?? first
})
// The period is kept on the way from one page of figures to the next.
const link = (path: string) => ({ path, query: route.query.period ? { period: route.query.period } : {} })
</script>

<template>
  <RouterView v-if="route.meta.open" />
  <div v-else class="flex min-h-screen flex-col md:flex-row">
    <a
      href="#content"
      class="sr-only focus:not-sr-only focus:absolute focus:z-30 focus:m-2 focus:rounded focus:bg-card focus:p-2"
    >
      Skip to the content
    </a>
    <header class="rail">
      <div class="px-2 pb-3 text-lead font-bold tracking-tight max-md:hidden">Oskel</div>
      <nav aria-label="Sections" class="flex min-w-0 max-md:w-full max-md:justify-between md:flex-col md:gap-0.5">
        <RouterLink
          v-for="s in sections"
          :key="s.path"
          :to="link(s.path)"
          :aria-current="here === s.path ? 'page' : undefined"
          class="rail-link aria-[current=page]:font-semibold max-md:flex-col max-md:gap-0 max-md:py-1 max-md:text-small"
        >
          <component :is="s.icon" class="size-5 shrink-0" aria-hidden="true" />
          <span>{{ s.name }}</span>
          <span
            v-if="s.path === '/desk' && news"
            class="rounded-full bg-tide px-1.5 text-small font-semibold text-card md:ml-auto"
            :aria-label="countWords(news, 'unread notification')"
            >{{ news }}</span
          >
        </RouterLink>
      </nav>
      <div class="flex shrink-0 max-md:ml-auto md:mt-auto md:flex-col md:gap-1">
        <RouterLink
          v-if="may('createPerson')"
          to="/people"
          :aria-current="here === '/people' ? 'page' : undefined"
          class="rail-link text-small"
          aria-label="People"
        >
          <UsersIcon class="size-5 shrink-0" aria-hidden="true" />
          <span class="max-md:hidden" aria-hidden="true">People</span>
        </RouterLink>
        <RouterLink
          v-if="person"
          to="/account"
          :aria-current="here === '/account' ? 'page' : undefined"
          class="rail-link text-small leading-tight"
          :aria-label="`My account: ${person.display_name}`"
        >
          <UserCircleIcon class="size-5 shrink-0" aria-hidden="true" />
          <span class="max-md:hidden" aria-hidden="true">{{ person.display_name }}</span>
        </RouterLink>
        <RouterLink
          to="/help"
          :aria-current="here === '/help' ? 'page' : undefined"
          class="rail-link text-small"
          aria-label="Help"
        >
          <QuestionMarkCircleIcon class="size-5 shrink-0" aria-hidden="true" />
          <span class="max-md:hidden" aria-hidden="true">Help</span>
        </RouterLink>
        <button
          class="rail-link text-small"
          :aria-label="theme === 'dark' ? 'Switch to light mode' : 'Switch to dark mode'"
          @click="turnTheme"
        >
          <component :is="theme === 'dark' ? SunIcon : MoonIcon" class="size-5" aria-hidden="true" />
          <span class="max-md:hidden" aria-hidden="true">{{ theme === 'dark' ? 'Light' : 'Dark' }}</span>
        </button>
        <button class="rail-link text-small" aria-label="Sign out" @click="signOut.mutate()">
          <ArrowRightStartOnRectangleIcon class="size-5" aria-hidden="true" />
          <span class="max-md:hidden" aria-hidden="true">Sign out</span>
        </button>
      </div>
    </header>
    <div class="flex min-w-0 flex-1 flex-col">
      <PeriodStrip v-if="route.meta.strip" class="print:hidden" />
      <main id="content" tabindex="-1" class="flex min-w-0 flex-1 flex-col outline-none">
        <PageView />
      </main>
    </div>
    <ActDialog v-if="asking" />
    <UndoToast />
  </div>
</template>
