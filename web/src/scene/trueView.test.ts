import { Vector3 } from 'three';
import { describe, expect, it } from 'vitest';

import { View } from './camera';
import { flatNormal } from './trueView';

const ring = (normal: Vector3): Float32Array => {
  const x = new Vector3(1, -2, 0.5).cross(normal).normalize();
  const y = normal.clone().normalize().cross(x);
  const points: number[] = [];
  for (let i = 0; i <= 24; i++) {
    const angle = (i / 24) * 5;
    points.push(...new Vector3(7, 8, 9).addScaledVector(x, 40 * Math.cos(angle)).addScaledVector(y, 25 * Math.sin(angle)).toArray());
  }
  return new Float32Array(points);
};

describe('true views', () => {
  it.each([
    [1, 2, 3],
    [0, -1, 0],
    [-3, 1, -0.4],
  ])('look against the normal of a flat line (%d, %d, %d)', (x, y, z) => {
    const wanted = new Vector3(x, y, z).normalize();
    const found = flatNormal(ring(wanted));
    expect(Math.abs(found?.dot(wanted) ?? 0)).toBeCloseTo(1, 5);
    const view = new View(() => undefined);
    view.resize(800, 600);
    view.lookAgainst(wanted);
    view.advance(performance.now() + 1000);
    expect(view.toEye.dot(wanted)).toBeCloseTo(1, 5);
  });

  it('has no plane for a straight line', () => {
    expect(flatNormal(new Float32Array([0, 0, 0, 1, 1, 1, 2, 2, 2, 5, 5, 5]))).toBeNull();
  });
});
