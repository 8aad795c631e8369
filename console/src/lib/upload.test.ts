import { expect, it } from 'vitest'

import { guessOf } from './upload'

const feeds = [{ name: 'sales' }, { name: 'visits' }]
const kinds = [{ name: 'rep' }, { name: 'customer' }]
const guess = (file: string, header: string) => guessOf(file, header, feeds, kinds)

it('tells a register, targets and lines apart', () => {
  expect(guess('x.csv', 'rep,name,region')).toEqual({ into: 'register', name: 'rep' })
  expect(guess('x.csv', 'rep,month,revenue')).toEqual({ into: 'targets', name: 'rep' })
  expect(guess('x.csv', 'day,rep,customer,net')).toEqual({ into: 'feed', name: 'sales' })
  expect(guess('x.csv', 'rep,customer,day,net')).toEqual({ into: 'feed', name: 'sales' })
})
it('goes by the name of the file where there are several feeds', () =>
  expect(guess('visits-2026-10.csv', 'day,rep')).toEqual({ into: 'feed', name: 'visits' }))
it('is not misled by what some programs write at the start of a file', () =>
  expect(guess('x.csv', '\uFEFFrep,name')).toEqual({ into: 'register', name: 'rep' }))
it('says nothing where there is nothing to say', () => expect(guessOf('x', 'a,b', [], [])).toBeUndefined())
