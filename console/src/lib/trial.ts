/** Dials with other values, as the address and the service write them: floor=23%,drop=40%. */
export function readTrial(text: string): Record<string, string> {
  const parts = text.split(',').flatMap((one) => {
    const [name, value] = one.split('=').map((s) => s.trim())
    return name && value ? [[name, value] as const] : []
  })
  return Object.fromEntries(parts)
}

/** Those that are as they are published are not tried. */
export const writeTrial = (values: Record<string, string>, published: { name: string; value: string }[]) =>
  published
    .filter((d) => values[d.name] && values[d.name] !== d.value)
    .map((d) => `${d.name}=${values[d.name]}`)
    .join(',')
