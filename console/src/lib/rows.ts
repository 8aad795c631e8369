/** Moves the focus from one row of a list to another: rows bear data-row. */
export function stepRow(event: KeyboardEvent, by: number) {
  const rows = [...document.querySelectorAll<HTMLElement>('[data-row]')]
  rows[rows.indexOf(event.currentTarget as HTMLElement) + by]?.focus()
}
