import type { EdgeRef, Params } from '../api/types';
import type { Field } from './catalog';
import { useStudy } from './study';

/** Share of a curve's length, from either end, in which a pick means that end. */
const NEAR_END = 0.3;

/** A curve that is picked near one of its ends is meant there, where the tool has a choice for it. */
export function nearEnd(field: Field | undefined, ref: EdgeRef | { feature: string }): Params {
  if (!field?.ends || !('edge' in ref) || !ref.near) return {};
  const shape = useStudy.getState().kept.shapes.get(ref.feature);
  const line = shape?.object.kind === 'curves' ? shape.edges.find((e) => e.name === ref.edge) : undefined;
  const share = line ? shareAlong(line.points, ref.near) : 0.5;
  return share < NEAR_END ? { [field.ends]: 'start' } : share > 1 - NEAR_END ? { [field.ends]: 'end' } : {};
}

/** Share of a drawn line's length at its point that is nearest to a place. */
function shareAlong(points: Float32Array, [x, y, z]: readonly number[]): number {
  let [length, best, least] = [0, 0, Infinity];
  for (let i = 0; i + 2 < points.length; i += 3) {
    const at = (k: number, c: number) => points[k + c] as number;
    if (i) length += Math.hypot(at(i, 0) - at(i - 3, 0), at(i, 1) - at(i - 3, 1), at(i, 2) - at(i - 3, 2));
    const away = Math.hypot(at(i, 0) - (x ?? 0), at(i, 1) - (y ?? 0), at(i, 2) - (z ?? 0));
    if (away < least) [best, least] = [length, away];
  }
  return best / Math.max(length, 1e-9);
}
