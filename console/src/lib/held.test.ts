import { expect, it } from 'vitest'
import { defineComponent, h, withDirectives, type PropType } from 'vue'

import { held } from './held'
import { show } from './inside'

const Field = defineComponent({
  props: { value: { type: String as PropType<string>, required: true } },
  setup: (props) => () => h('p', [withDirectives(h('input', { value: props.value }), [[held]]), h('button')]),
})

async function field() {
  const { page } = await show(Field, { value: '5' })
  const el = page.get('input').element as HTMLInputElement
  const type = (text: string) => {
    el.value = text
    el.dispatchEvent(new Event('input'))
  }
  return { page, el, type }
}

it('keeps what is being typed when an answer to what was typed before comes', async () => {
  const { page, el, type } = await field()
  el.focus()
  type('0.01')
  el.setSelectionRange(2, 2)
  await page.setProps({ value: '5%' })
  expect(el.value).toBe('0.01')
  expect(el.selectionStart).toBe(2)
  // It was typed, so it stays when the field is left too.
  el.blur()
  expect(el.value).toBe('0.01')
})

it('takes what came meanwhile once what was typed is given away', async () => {
  const { page, el, type } = await field()
  el.focus()
  type('0.01')
  await page.setProps({ value: '1%' })
  el.dispatchEvent(new Event('change'))
  expect(el.value).toBe('0.01')
  el.blur()
  expect(el.value).toBe('1%')
})

it('follows where nothing is being typed, with the focus or without', async () => {
  const { page, el, type } = await field()
  await page.setProps({ value: '6' })
  expect(el.value).toBe('6')
  el.focus()
  await page.setProps({ value: '7' })
  expect(el.value).toBe('7')
  el.blur()
  type('8')
  await page.setProps({ value: '9' })
  expect(el.value).toBe('9')
})

it('hears nothing more when the field has gone', async () => {
  const { page, el } = await field()
  page.unmount()
  el.dispatchEvent(new Event('input'))
  expect((el as HTMLInputElement & { dirty?: boolean }).dirty).toBeUndefined()
})
