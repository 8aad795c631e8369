import tailwindcss from '@tailwindcss/vite'
import type { RootNode, TemplateChildNode } from '@vue/compiler-core'
import vue from '@vitejs/plugin-vue'
import { defineConfig } from 'vitest/config'

/** Every field in which something is typed holds it while it has the focus, see lib/held.ts. */
const typed = (node: RootNode | TemplateChildNode) => {
  if (node.type !== 1 || !['input', 'textarea'].includes(node.tag)) return
  const type = node.props.find((p) => p.type === 6 && p.name === 'type')
  if (type?.type === 6 && ['checkbox', 'radio', 'file'].includes(type.value?.content ?? '')) return
  if (node.props.some((p) => p.type === 7 && p.name === 'held')) return
  node.props.push({ type: 7, name: 'held', exp: undefined, arg: undefined, modifiers: [], loc: node.loc })
}

export default defineConfig({
  plugins: [vue({ template: { compilerOptions: { nodeTransforms: [typed] } } }), tailwindcss()],
  resolve: { alias: { '@': new URL('./src', import.meta.url).pathname } },
  build: { outDir: 'dist', emptyOutDir: true },
  // One world for all files of tests: making one for each takes five times as long as the tests.
  test: { environment: 'happy-dom', isolate: false },
  server: { proxy: { '/api': 'http://127.0.0.1:8420' }, fs: { allow: ['.', '../docs'] } },
})
