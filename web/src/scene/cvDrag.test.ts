import { describe, expect, it } from 'vitest';

import type { Shape } from '../state/study';
import { dragDirection, falloffWeight } from './cvDrag';
import { offsetPull } from './polygonDrag';

const curve = (points: number[]): Shape =>
  ({ object: { kind: 'curves', cvs: { count: [points.length / 3, 1], points } }, vertices: new Float32Array() }) as unknown as Shape;

describe('dragging CVs', () => {
  it('follows smoothly from one at the held CV to nothing at the radius', () => {
    expect(falloffWeight(0, 20)).toBe(1);
    expect(falloffWeight(20, 20)).toBe(0);
    expect(falloffWeight(5, 0)).toBe(0);
    expect(falloffWeight(10, 20)).toBeCloseTo(0.5625);
  });

  it('moves a CV of a curve where its polygon bends, and an end square to its leg', () => {
    const shape = curve([0, 0, 0, 10, 10, 0, 20, 0, 0]);
    expect(dragDirection(shape, [1, 0], 'normal')?.toArray().map((v) => Math.round(v * 1e6) / 1e6 + 0)).toEqual([0, -1, 0]);
    const end = dragDirection(shape, [0, 0], 'normal');
    expect(Math.abs((end?.x ?? 0) + (end?.y ?? 0))).toBeLessThan(1e-9);
    expect(dragDirection(shape, [1, 0], 'leg_u')?.x).toBeCloseTo(Math.SQRT1_2);
    expect(dragDirection(curve([0, 0, 0, 5, 0, 0, 9, 0, 0]), [1, 0], 'normal')?.length()).toBeCloseTo(1);
  });

  it('offsets a polygon by what its corner moves along the bisector, less the miter', () => {
    const corner = offsetPull(curve([10, 0, 0, 0, 0, 0, 0, 10, 0]), [1, 0]);
    expect(corner?.share).toBeCloseTo(Math.SQRT1_2);
    expect(Math.abs(corner?.direction.x ?? 0)).toBeCloseTo(Math.SQRT1_2);
    expect(offsetPull(curve([0, 0, 0, 5, 0, 0, 9, 0, 0]), [1, 0])).toBeNull();
  });
});
