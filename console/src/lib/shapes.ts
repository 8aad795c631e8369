/** The shapes that grades carry, drawn around the origin, six wide to each side. */
const drawn: Record<string, string> = {
  diamond: 'M0-6 6 0 0 6-6 0z',
  triangle: 'M0-5.6 5.8 5H-5.8z',
  square: 'M-5-5H5V5H-5z',
  cross: 'M-5-3-3-5 0-2 3-5 5-3 2 0 5 3 3 5 0 2-3 5-5 3-2 0z',
  circle: 'M-5 0a5 5 0 1 0 10 0a5 5 0 1 0-10 0z',
}

export const shapePath = (shape: string) => drawn[shape] ?? drawn.circle
