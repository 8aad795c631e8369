import type { Schemas } from './api'

/**
 * The shapes that grades carry, drawn around the origin, six wide to each side. A pennant says
 * by how full it is how serious it is: without colour, and small.
 */
const paths: Record<Schemas['GradeChange']['shape'], string> = {
  pennant: 'M-6-4.5H6L2.5 0 6 4.5H-6z',
  'half pennant': 'M-6-4.5H6L2.5 0 6 4.5H-6zM-4.6.4V3.1H3.1L1 .4z',
  'open pennant': 'M-6-4.5H6L2.5 0 6 4.5H-6zM-4.6-3.1V3.1H3.1L.7 0 3.1-3.1z',
  tick: 'M-6 0-4-2-1.5.8 4-5 6-3-1.5 4.8z',
  diamond: 'M0-6 6 0 0 6-6 0z',
  triangle: 'M0-5.6 5.8 5H-5.8z',
  circle: 'M-5 0a5 5 0 1 0 10 0a5 5 0 1 0-10 0z',
  square: 'M-5-5H5V5H-5z',
  cross: 'M-5-3-3-5 0-2 3-5 5-3 2 0 5 3 3 5 0 2-3 5-5 3-2 0z',
}

export const shapePaths: Record<string, string> = paths

export const shapePath = (shape: string) => shapePaths[shape] ?? shapePaths.circle!
