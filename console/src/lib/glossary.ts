/** A part of the glossary: a heading and the table below it. */
export interface Section {
  title: string
  heads: string[]
  rows: string[][]
}

const cells = (line: string) =>
  line
    .split('|')
    .slice(1, -1)
    .map((c) => c.trim().replace(/\[([^\]]+)\]\([^)]*\)/g, '$1'))

/** The parts of the glossary's document, each a heading of the second level with one table. */
export function sectionsOf(text: string): Section[] {
  return text
    .split(/^## /m)
    .slice(1)
    .map((part) => {
      const [title, ...lines] = part.split('\n')
      const [heads, , ...rows] = lines.filter((l) => l.startsWith('|')).map(cells)
      return { title, heads, rows }
    })
}
