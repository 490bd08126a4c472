import type { Point } from '../api/types';
import type { Shape } from '../state/study';

const ROW = 10;

interface Place {
  point: Point;
  /** Which way the surface points there; null on a curve. */
  normal: Point | null;
}

const known = new WeakMap<Shape, Place | null>();

/** A place on a shape, about in its middle: where a mark of the whole belongs. */
export function middleOf(shape: Shape): Place | null {
  const found = known.get(shape);
  if (found !== undefined) return found;
  const [from, stride] = shape.vertices.length ? [shape.vertices, ROW] : [shape.edges[0]?.points ?? new Float32Array(), 3];
  const place = nearestToMean(from, stride);
  known.set(shape, place);
  return place;
}

function nearestToMean(rows: Float32Array, stride: number): Place | null {
  const count = Math.floor(rows.length / stride);
  if (!count) return null;
  const at = (i: number, k: number) => rows[i * stride + k] ?? 0;
  const mean = [0, 0, 0];
  for (let i = 0; i < count; i++) for (let k = 0; k < 3; k++) mean[k]! += at(i, k) / count;
  let best = 0;
  let least = Infinity;
  for (let i = 0; i < count; i++) {
    const away = Math.hypot(...mean.map((m, k) => at(i, k) - m));
    if (away < least) [best, least] = [i, away];
  }
  const normal: Point | null = stride === ROW ? [at(best, 3), at(best, 4), at(best, 5)] : null;
  return { point: [at(best, 0), at(best, 1), at(best, 2)], normal };
}
