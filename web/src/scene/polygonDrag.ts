import { Vector3 } from 'three';

import type { Op } from '../api/types';
import type { Shape } from '../state/study';
import type { Cv } from '../state/tools';
import { cvPoint } from './cvPoint';

/** How a pull at one CV offsets the whole polygon: along its bisector, and by how many mm for each mm of the pull. */
export interface OffsetPull {
  direction: Vector3;
  share: number;
}

/** The pull at a CV of a curve; null where the polygon is straight and has no side. */
export function offsetPull(shape: Shape, [i]: Cv): OffsetPull | null {
  const count = shape.object.cvs.count[0];
  const points = Array.from({ length: count }, (_, k) => cvPoint(shape, [k, 0]));
  const legs = points.slice(1).map((p, k) => p.clone().sub(points[k] ?? p));
  const turns = new Vector3();
  for (let k = 0; k + 1 < legs.length; k++) turns.add(new Vector3().crossVectors(legs[k] as Vector3, legs[k + 1] as Vector3));
  if (turns.length() < 1e-9) return null;
  const normal = turns.normalize();
  const side = (k: number) => new Vector3().crossVectors(normal, legs[Math.min(Math.max(k, 0), legs.length - 1)] ?? normal).normalize();
  const both = side(i - 1).add(side(i));
  // The corner moves by d / cos(half the turn) along the bisector when its legs move by d.
  return both.length() < 1e-6 ? null : { direction: both.clone().normalize(), share: both.length() / 2 };
}

export const offsetOp = (id: string, value: number): Op => ({ op: 'reshape', id, action: 'offset', cvs: [], value });
