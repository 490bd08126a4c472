import { Vector3 } from 'three';

import type { Point } from '../api/types';
import { useStudy } from '../state/study';
import type { Axis } from '../state/hand';
import { draftNow, useTools } from '../state/tools';
import { useView } from '../state/view';
import type { Viewport } from './viewport';

const AXES = { x: new Vector3(1, 0, 0), y: new Vector3(0, 1, 0), z: new Vector3(0, 0, 1) } as const;

/** A plane with axes of its own. */
export interface PlaneFrame {
  origin: Vector3;
  x: Vector3;
  y: Vector3;
  normal: Vector3;
}

/** The principal axis that looks at the viewer most. */
function facing(viewport: Viewport): Axis {
  const eye = viewport.view.toEye;
  const size = { x: Math.abs(eye.x), y: Math.abs(eye.y), z: Math.abs(eye.z) };
  return size.y >= size.x && size.y >= size.z ? 'y' : size.z >= size.x ? 'z' : 'x';
}

/** The step in work goes on in the plane in which it was begun, however the part is turned. */
export function holdPlane(viewport: Viewport): void {
  const { hand } = useTools.getState();
  if (hand.at === 'step' && !hand.draft.axis && useView.getState().plane.axis === 'auto')
    useTools.setState({ hand: { ...hand, draft: { ...hand.draft, axis: facing(viewport) } } });
}

/** The plane of a step, as it is shown; null if the step is gone or is no plane. */
export function planeOfStep(id: string): PlaneFrame | null {
  const axes = useStudy.getState().shown.shapes.get(id)?.object.plane;
  if (!axes) return null;
  const [origin, x, y] = axes.map((v) => new Vector3(...v)) as [Vector3, Vector3, Vector3];
  return { origin, x, y, normal: x.clone().cross(y) };
}

/** Where drawing happens: the plane of a step, the chosen principal plane, or the one that looks at the viewer most. */
export function workingPlane(viewport: Viewport): PlaneFrame {
  const { axis, offset, step } = useView.getState().plane;
  const own = step ? planeOfStep(step) : null;
  if (own) return own;
  const name = axis === 'auto' ? (draftNow()?.axis ?? facing(viewport)) : axis;
  const x = name === 'x' ? AXES.y : AXES.x;
  const y = name === 'z' ? AXES.y : AXES.z;
  return { origin: AXES[name].clone().multiplyScalar(offset), x, y, normal: AXES[name] };
}

/** The point of the working plane under a pixel; null where the plane is seen on edge. */
export const onPlane = (viewport: Viewport, x: number, y: number): Vector3 | null => underPixel(viewport, workingPlane(viewport), x, y);

/** The point of a plane under a pixel; null where the plane is seen on edge. */
export function underPixel(viewport: Viewport, { origin, normal }: PlaneFrame, x: number, y: number): Vector3 | null {
  const { toEye } = viewport.view;
  const at = viewport.view.under(x, y);
  const slope = toEye.dot(normal);
  if (Math.abs(slope) < 0.03) return null;
  return at.addScaledVector(toEye, origin.clone().sub(at).dot(normal) / slope);
}

/** The foot of a point on the working plane. */
export function dropped(viewport: Viewport, point: Vector3): Vector3 {
  const { origin, normal } = workingPlane(viewport);
  return point.clone().addScaledVector(normal, origin.clone().sub(point).dot(normal));
}

/** Free points lie on a grid of the plane that is finer than a pixel: figures that can be read. */
export function rounded(viewport: Viewport, p: Vector3): Point {
  const { origin, x, y } = workingPlane(viewport);
  const from = p.clone().sub(origin);
  const step = (axis: Vector3) => Math.round(from.dot(axis) * 100) / 100;
  const at = origin.clone().addScaledVector(x, step(x)).addScaledVector(y, step(y));
  // Rounding of the sums themselves is taken away again.
  const clean = (v: number) => Math.round(v * 1e9) / 1e9;
  return [clean(at.x), clean(at.y), clean(at.z)];
}
