import { Vector3 } from 'three';

import type { Point } from '../api/types';
import { isShown } from '../state/actions';
import { featureName, isCurve, useStudy } from '../state/study';
import { useView } from '../state/view';
import type { Viewport } from './viewport';

const AXES = { x: new Vector3(1, 0, 0), y: new Vector3(0, 1, 0), z: new Vector3(0, 0, 1) } as const;
export type Axis = keyof typeof AXES;

/** The axis that the working plane is square to: the chosen one, or the one that looks at the viewer most. */
export function planeAxis(viewport: Viewport): Axis {
  const { axis } = useView.getState().plane;
  if (axis !== 'auto') return axis;
  const eye = viewport.view.toEye;
  const size = { x: Math.abs(eye.x), y: Math.abs(eye.y), z: Math.abs(eye.z) };
  return size.y >= size.x && size.y >= size.z ? 'y' : size.z >= size.x ? 'z' : 'x';
}

/** The point of the working plane under a pixel; null where the plane is seen on edge. */
export function onPlane(viewport: Viewport, x: number, y: number): Vector3 | null {
  const axis = AXES[planeAxis(viewport)];
  const { offset } = useView.getState().plane;
  const { width, height, camera, toEye } = viewport.view;
  const at = new Vector3((x / width) * 2 - 1, 1 - (y / height) * 2, 0).unproject(camera);
  const slope = toEye.dot(axis);
  if (Math.abs(slope) < 0.03) return null;
  return at.addScaledVector(toEye, (offset - at.dot(axis)) / slope);
}

const REACH = 9;

export interface Placed {
  point: Point;
  /** What was caught, in words; null for a free point. */
  caught: string | null;
}

/** Where a point goes: on the working plane, caught by an end or CV that is near on the screen unless `free`. */
export function placeOf(viewport: Viewport, x: number, y: number, free: boolean): Placed | null {
  const plain = onPlane(viewport, x, y);
  if (!plain) return null;
  const caught = free ? null : nearestMark(viewport, x, y);
  if (!caught) return { point: rounded(plain), caught: null };
  const name = planeAxis(viewport);
  const point = caught.at.clone();
  point[name] = useView.getState().plane.offset;
  return { point: [point.x, point.y, point.z], caught: caught.words };
}

/** Free points lie on a grid finer than a pixel: figures that can be read. */
function rounded(p: Vector3): Point {
  const step = (v: number) => Math.round(v * 100) / 100;
  return [step(p.x), step(p.y), step(p.z)];
}

function nearestMark(viewport: Viewport, x: number, y: number): { at: Vector3; words: string } | null {
  const { kept, study } = useStudy.getState();
  const { isolated } = useView.getState();
  let best: { at: Vector3; words: string } | null = null;
  let least = REACH;
  const offer = (px: number, py: number, pz: number, words: () => string) => {
    const s = viewport.view.project([px, py, pz]);
    const away = Math.hypot(s.x - x, s.y - y);
    if (away >= least) return;
    least = away;
    best = { at: new Vector3(px, py, pz), words: words() };
  };
  for (const [id, shape] of kept.shapes) {
    const feature = study?.features.find((f) => f.id === id);
    if (feature && !isShown(feature, isolated)) continue;
    for (const { points } of shape.edges) {
      const n = points.length;
      if (n < 6) continue;
      offer(points[0] ?? 0, points[1] ?? 0, points[2] ?? 0, () => `end of ${featureName(id)}`);
      offer(points[n - 3] ?? 0, points[n - 2] ?? 0, points[n - 1] ?? 0, () => `end of ${featureName(id)}`);
    }
    if (!isCurve(shape)) continue;
    const { points } = shape.object.cvs;
    for (let i = 0; i + 2 < points.length; i += 3)
      offer(points[i] ?? 0, points[i + 1] ?? 0, points[i + 2] ?? 0, () => `CV ${i / 3 + 1} of ${featureName(id)}`);
  }
  return best;
}
