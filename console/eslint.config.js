import { defineConfigWithVueTs, vueTsConfigs } from '@vue/eslint-config-typescript'
import vue from 'eslint-plugin-vue'

export default defineConfigWithVueTs(
  { ignores: ['dist', 'src/lib/api.gen.d.ts'] },
  vue.configs['flat/essential'],
  vueTsConfigs.recommended,
)
