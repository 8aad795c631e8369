import { ref } from 'vue'

export type Theme = 'light' | 'dark'

const key = 'oskel.theme'
const system = matchMedia('(prefers-color-scheme: dark)')

function chosen(): Theme {
  const kept = localStorage.getItem(key)
  if (kept === 'light' || kept === 'dark') return kept
  return system.matches ? 'dark' : 'light'
}

/** The theme on screen: the one chosen here, else the system's. */
export const theme = ref<Theme>(chosen())

export function applyTheme() {
  theme.value = chosen()
  document.documentElement.classList.toggle('dark', theme.value === 'dark')
}

export function turnTheme() {
  localStorage.setItem(key, theme.value === 'dark' ? 'light' : 'dark')
  applyTheme()
}

system.addEventListener('change', applyTheme)
