<script setup lang="ts">
import { autocompletion, type CompletionContext } from '@codemirror/autocomplete'
import { yaml } from '@codemirror/lang-yaml'
import { lintGutter, setDiagnostics, type Diagnostic } from '@codemirror/lint'
import { Compartment, EditorState } from '@codemirror/state'
import { EditorView } from '@codemirror/view'
import { HighlightStyle, syntaxHighlighting } from '@codemirror/language'
import { tags } from '@lezer/highlight'
import { basicSetup } from 'codemirror'
import { onBeforeUnmount, onMounted, ref, watch } from 'vue'

import { theme } from '@/lib/theme'

export interface Mark {
  line?: number
  column?: string
  text: string
  mild?: boolean
}
export interface Word {
  label: string
  detail?: string
}

/** The rulebook's text: line numbers, colours, what is wrong at its line, completion, find and undo. */
const model = defineModel<string>({ required: true })
const props = defineProps<{ marks: Mark[]; words: Word[]; label: string }>()

const box = ref<HTMLElement>()
let view: EditorView | undefined
const colours = new Compartment()
let mine = false // the change comes from here

const look = () =>
  EditorView.theme(
    {
      '&': { height: '100%', backgroundColor: 'var(--card)', color: 'var(--ink)', fontSize: '13px' },
      '.cm-scroller': { fontFamily: 'var(--font-mono)', lineHeight: '20px' },
      '.cm-gutters': { backgroundColor: 'var(--sunk)', color: 'var(--muted)', border: 'none' },
      '.cm-activeLine, .cm-activeLineGutter': { backgroundColor: 'var(--tide-soft)' },
      '.cm-cursor': { borderLeftColor: 'var(--ink)' },
      '&.cm-focused': { outline: '2px solid var(--tide)', outlineOffset: '-2px' },
      '.cm-tooltip, .cm-panels': { backgroundColor: 'var(--card)', color: 'var(--ink)', borderColor: 'var(--line)' },
      '.cm-diagnostic': { fontFamily: 'var(--font-sans)' },
    },
    { dark: theme.value === 'dark' },
  )

// The colours of the console, which can be read on its paper in the light and in the dark.
const tints = HighlightStyle.define([
  { tag: [tags.propertyName, tags.definition(tags.propertyName)], color: 'var(--tide)' },
  { tag: [tags.string, tags.special(tags.string)], color: 'var(--blue)' },
  { tag: [tags.comment, tags.lineComment], color: 'var(--muted)', fontStyle: 'italic' },
  { tag: [tags.number, tags.bool, tags.null, tags.keyword], color: 'var(--violet)' },
  { tag: [tags.punctuation, tags.separator, tags.squareBracket, tags.brace], color: 'var(--muted)' },
])

function diagnostics(state: EditorState): Diagnostic[] {
  return props.marks.flatMap((m) => {
    if (!m.line || m.line > state.doc.lines) return []
    const line = state.doc.line(m.line)
    const from = Math.min(line.to, line.from + Math.max(0, Number(m.column ?? 1) - 1))
    return [{ from, to: line.to, severity: m.mild ? 'warning' : 'error', message: m.text } as Diagnostic]
  })
}
function complete(context: CompletionContext) {
  const word = context.matchBefore(/[A-Za-z_][\w.-]*/)
  if (!word && !context.explicit) return null
  return { from: word?.from ?? context.pos, options: props.words, validFor: /^[\w.-]*$/ }
}

onMounted(() => {
  view = new EditorView({
    parent: box.value!,
    state: EditorState.create({
      doc: model.value,
      extensions: [
        basicSetup,
        syntaxHighlighting(tints),
        yaml(),
        lintGutter(),
        autocompletion({ override: [complete] }),
        colours.of(look()),
        EditorView.contentAttributes.of({ 'aria-label': props.label, spellcheck: 'false' }),
        EditorView.updateListener.of((u) => {
          if (!u.docChanged) return
          mine = true
          model.value = u.state.doc.toString()
        }),
      ],
    }),
  })
  mark()
  view.scrollDOM.tabIndex = 0 // so that keys can scroll it
})
onBeforeUnmount(() => view?.destroy())
watch(model, (to) => {
  if (!view || mine) {
    mine = false
    return
  }
  if (to !== view.state.doc.toString()) view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: to } })
})
const mark = () => view?.dispatch(setDiagnostics(view.state, diagnostics(view.state)))
watch(() => props.marks, mark)
watch(theme, () => requestAnimationFrame(() => view?.dispatch({ effects: colours.reconfigure(look()) })))

/** Puts the cursor at a line and shows it. */
function goTo(line: number) {
  if (!view || line > view.state.doc.lines) return
  const at = view.state.doc.line(line)
  view.dispatch({
    selection: { anchor: at.from, head: at.to },
    effects: EditorView.scrollIntoView(at.from, { y: 'center' }),
  })
  view.focus()
}
defineExpose({ goTo })
</script>

<template>
  <div ref="box" class="h-full min-h-0 overflow-hidden rounded border border-line"></div>
</template>
