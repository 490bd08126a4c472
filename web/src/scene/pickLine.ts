import { Box3, Sphere, Vector3 } from 'three';

import type { View } from './camera';

/** A line that can be pointed at; the ball round it is worked out when it is first needed. */
export class PickLine {
  private ball: Sphere | null = null;

  constructor(
    readonly name: string,
    readonly points: Float32Array,
  ) {}

  /** Whether any of it may lie within ``reach`` pixels of a place on the screen. */
  mayBeNear(view: View, x: number, y: number, reach: number): boolean {
    this.ball ??= new Box3().setFromArray(this.points).getBoundingSphere(new Sphere());
    const at = view.project(this.ball.center.toArray());
    return Math.hypot(at.x - x, at.y - y) <= reach + this.ball.radius / view.millimetresPerPixel;
  }
}

export interface LineHit {
  distance: number;
  depth: number;
  at: Vector3;
}

/** The place of a drawn line that is nearest to a pixel: distance in pixels, depth toward the eye in mm. */
export function nearestOnLine(points: Float32Array, x: number, y: number, view: View): LineHit {
  const [ax, bx, cx, dx, ay, by, cy, dy] = view.affine;
  let best = Infinity;
  let [leg, share] = [0, 0];
  let [lastX, lastY] = [0, 0];
  for (let i = 0; i + 2 < points.length; i += 3) {
    const [px, py, pz] = [points[i] as number, points[i + 1] as number, points[i + 2] as number];
    const sx = ax * px + bx * py + cx * pz + dx - x;
    const sy = ay * px + by * py + cy * pz + dy - y;
    if (i) {
      const [lx, ly] = [sx - lastX, sy - lastY];
      const t = Math.min(1, Math.max(0, -(lastX * lx + lastY * ly) / Math.max(1e-9, lx * lx + ly * ly)));
      const away = (lastX + t * lx) ** 2 + (lastY + t * ly) ** 2;
      if (away < best) {
        best = away;
        leg = i - 3;
        share = t;
      }
    }
    lastX = sx;
    lastY = sy;
  }
  const at = new Vector3().fromArray(points, leg).lerp(new Vector3().fromArray(points, Math.min(leg + 3, points.length - 3)), share);
  return { distance: Math.sqrt(best), depth: at.dot(view.toEye), at };
}
