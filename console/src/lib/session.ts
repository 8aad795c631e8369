import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { api, need, type Schemas } from './api'

/** Who is signed in. */
export function useSession() {
  const route = useRoute()
  const query = useQuery({
    queryKey: ['session'],
    queryFn: () => need(api.GET('/api/session')),
    staleTime: 60_000,
    enabled: computed(() => !route.meta.open),
  })
  /** Whether the role of the person who is signed in has an operation of the contract, or a right. */
  const may = (what: string) => !!query.data.value?.may?.includes(what)
  return { person: query.data, may }
}

/** Signing in by the password, or by a one-time password and a password of one's own. */
export function useSignIn() {
  const queries = useQueryClient()
  const router = useRouter()
  const route = useRoute()
  return useMutation({
    mutationFn: (body: Schemas['Credentials'] & { fresh?: string }) =>
      body.fresh === undefined
        ? need(api.POST('/api/session', { body: { name: body.name, password: body.password } }))
        : need(
            api.POST('/api/session/one-time-password', {
              body: { name: body.name, one_time_password: body.password, password: body.fresh },
            }),
          ),
    onSuccess: async (person) => {
      queries.clear()
      queries.setQueryData(['session'], person)
      const then =
        typeof route.query.then === 'string' && route.query.then.startsWith('/') ? route.query.then : undefined
      await router.push(then ?? (person.may?.includes('createSweep') ? '/overview' : '/desk'))
    },
  })
}

export function useSignOut() {
  const queries = useQueryClient()
  const router = useRouter()
  return useMutation({
    mutationFn: () => need(api.DELETE('/api/session')),
    onSettled: async () => {
      await router.push('/sign-in')
      queries.clear()
    },
  })
}
