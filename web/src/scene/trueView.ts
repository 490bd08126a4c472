import { Vector3 } from 'three';

import { tell } from '../state/session';
import { isCurve, useStudy, type Shape } from '../state/study';
import { useTools } from '../state/tools';
import { planeOfStep, workingPlane } from './plane';
import type { Viewport } from './viewport';

/** Look squarely at what is picked: a face where it was picked, a plane, a flat line; else at the working plane. */
export function lookSquarely(viewport: Viewport): void {
  const { selection, pickedNormal } = useTools.getState();
  const shape = selection ? useStudy.getState().shown.shapes.get(selection.id) : undefined;
  if (!selection || !shape) {
    look(viewport, workingPlane(viewport).normal);
    return;
  }
  if (shape.object.kind === 'plane') look(viewport, planeOfStep(selection.id)?.normal ?? null);
  else if (selection.kind === 'edge' || isCurve(shape)) {
    const name = selection.kind === 'edge' ? selection.edge : shape.edges[0]?.name;
    const points = shape.edges.find((e) => e.name === name)?.points;
    const normal = points ? flatNormal(points) : null;
    if (normal) look(viewport, normal);
    else tell('A straight line has no plane of its own to look at: pick a face, a plane, or a bent line.');
  } else look(viewport, pickedNormal ? new Vector3(...pickedNormal) : meanNormal(shape));
}

/** From the side that is in sight already. */
function look(viewport: Viewport, normal: Vector3 | null): void {
  if (!normal || normal.length() < 1e-9) return;
  viewport.lookAgainst(normal.dot(viewport.view.toEye) < 0 ? normal.clone().negate() : normal);
}

function meanNormal({ vertices }: Shape): Vector3 {
  const sum = new Vector3();
  for (let o = 0; o + 5 < vertices.length; o += 10) sum.add(new Vector3(vertices[o + 3], vertices[o + 4], vertices[o + 5]));
  return sum.normalize();
}

/** Normal of the plane that a polyline lies in or near, by the area it spans about its middle; null if it is straight. */
export function flatNormal(points: Float32Array): Vector3 | null {
  const count = points.length / 3;
  const at = (i: number) => new Vector3(points[3 * i], points[3 * i + 1], points[3 * i + 2]);
  const first = at(0);
  const area = new Vector3();
  let size = 0;
  for (let i = 1; i + 1 < count; i++) {
    const [a, b] = [at(i).sub(first), at(i + 1).sub(first)];
    area.add(new Vector3().crossVectors(a, b));
    size = Math.max(size, a.length(), b.length());
  }
  return area.length() > 1e-5 * size * size ? area.normalize() : null;
}
