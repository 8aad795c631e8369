import { createRouter, createWebHistory } from 'vue-router'

import { onSignedOut } from './api'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', redirect: '/overview' },
    { path: '/sign-in', component: () => import('@/pages/SignInPage.vue'), meta: { open: true, title: 'Sign in' } },
    {
      path: '/overview',
      component: () => import('@/pages/OverviewPage.vue'),
      meta: { needs: 'lines', title: 'Overview', strip: true },
    },
    {
      path: '/measures/:name',
      component: () => import('@/pages/MeasurePage.vue'),
      meta: { needs: 'lines', title: 'Measure', strip: true },
    },
    {
      path: '/figures',
      component: () => import('@/pages/FiguresPage.vue'),
      meta: { needs: 'lines', title: 'Figures', strip: true },
    },
    {
      path: '/figures/kept',
      component: () => import('@/pages/KeptPage.vue'),
      meta: { needs: 'lines', title: 'Kept tables and boards' },
    },
    {
      path: '/tables/:id',
      component: () => import('@/pages/KeptTablePage.vue'),
      meta: { needs: 'lines', title: 'Kept table', strip: true },
    },
    {
      path: '/boards/:id',
      component: () => import('@/pages/BoardPage.vue'),
      meta: { needs: 'lines', title: 'Board', strip: true },
    },
    {
      path: '/sweeps',
      component: () => import('@/pages/SweepsPage.vue'),
      meta: { needs: 'book', title: 'Sweeps', strip: true },
    },
    {
      path: '/rules',
      component: () => import('@/pages/RulesPage.vue'),
      meta: { needs: 'book', title: 'Rules', strip: true },
    },
    {
      path: '/rules/draft',
      component: () => import('@/pages/DraftPage.vue'),
      meta: { title: 'Draft', strip: true },
    },
    {
      path: '/rules/measures',
      component: () => import('@/pages/MeasureRulesPage.vue'),
      meta: { needs: 'book', title: 'Measures and their rules', strip: true },
    },
    {
      path: '/rules/dials',
      component: () => import('@/pages/DialsPage.vue'),
      meta: { needs: 'book', title: 'Dials', strip: true },
    },
    {
      path: '/rules/grades',
      component: () => import('@/pages/GradesPage.vue'),
      meta: { needs: 'book', title: 'Grades' },
    },
    { path: '/help', component: () => import('@/pages/GlossaryPage.vue'), meta: { title: 'Help' } },
    { path: '/rules/revisions', component: () => import('@/pages/RevisionsPage.vue'), meta: { title: 'Revisions' } },
    {
      path: '/exceptions',
      component: () => import('@/pages/ExceptionsPage.vue'),
      meta: { needs: 'lines', title: 'Exceptions', strip: true },
    },
    {
      path: '/exceptions/grid',
      component: () => import('@/pages/ExceptionGridPage.vue'),
      meta: { needs: 'lines', title: 'Exception grid', strip: true },
    },
    {
      path: '/exceptions/trend',
      component: () => import('@/pages/ExceptionTrendPage.vue'),
      meta: { needs: 'lines', title: 'Exception trend', strip: true },
    },
    {
      path: '/exceptions/:id(\\d+)',
      component: () => import('@/pages/ExceptionPage.vue'),
      meta: { title: 'Exception' },
    },
    {
      path: '/subjects/:kind/:key',
      component: () => import('@/pages/SubjectPage.vue'),
      meta: { needs: 'lines', title: 'Subject', strip: true },
    },
    { path: '/desk', component: () => import('@/pages/DeskPage.vue'), meta: { title: 'Desk' } },
    { path: '/desk/inbox', component: () => import('@/pages/InboxPage.vue'), meta: { title: 'Inbox' } },
    { path: '/desk/backlog', component: () => import('@/pages/BacklogPage.vue'), meta: { title: 'Backlog' } },
    { path: '/desk/outcomes', component: () => import('@/pages/OutcomesPage.vue'), meta: { title: 'Outcomes' } },
    // Links from before the pages had these names.
    { path: '/desk/for-me', redirect: '/desk/inbox' },
    { path: '/desk/work', redirect: '/desk/backlog' },
    { path: '/desk/findings', redirect: (to) => ({ path: '/desk/outcomes', query: to.query }) },
    { path: '/data/faults', redirect: (to) => ({ path: '/data/issues', query: to.query }) },
    { path: '/cases/:id(\\d+)', component: () => import('@/pages/CasePage.vue'), meta: { title: 'Case' } },
    { path: '/data/issues', component: () => import('@/pages/DataIssuesPage.vue'), meta: { title: 'Data issues' } },
    { path: '/data', component: () => import('@/pages/DataPage.vue'), meta: { title: 'Data' } },
    {
      path: '/data/registers/:kind?',
      component: () => import('@/pages/RegisterPage.vue'),
      meta: { needs: 'book', title: 'Registers' },
    },
    {
      path: '/data/targets/:kind?',
      component: () => import('@/pages/TargetsPage.vue'),
      meta: { needs: 'book', title: 'Targets' },
    },
    {
      path: '/data/calendar',
      component: () => import('@/pages/CalendarPage.vue'),
      meta: { needs: 'book', title: 'Calendar' },
    },
    { path: '/people', component: () => import('@/pages/PeoplePage.vue'), meta: { title: 'People' } },
    { path: '/people/audit', component: () => import('@/pages/AuditPage.vue'), meta: { title: 'Audit' } },
    { path: '/account', component: () => import('@/pages/AccountPage.vue'), meta: { title: 'My account' } },
    { path: '/:rest(.*)*', component: () => import('@/pages/NotFoundPage.vue'), meta: { title: 'Page not found' } },
  ],
})

router.afterEach((to) => {
  document.title = `${to.meta.title as string} · Oskel`
})

onSignedOut(() => {
  const at = router.currentRoute.value
  if (at.path !== '/sign-in') router.push({ path: '/sign-in', query: { then: at.fullPath } })
})
