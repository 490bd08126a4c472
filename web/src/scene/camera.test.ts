import { Vector3 } from 'three';
import { expect, it } from 'vitest';

import { View } from './camera';

const view = () => {
  const v = new View(() => undefined);
  v.resize(1000, 800);
  return v;
};

it('keeps the point under the pointer while zooming', () => {
  const v = view();
  const spot = new Vector3(30, -20, 10);
  const before = v.project(spot.toArray());
  v.zoom(0.5, before.x, before.y);
  const after = v.project(spot.toArray());
  expect(after.x).toBeCloseTo(before.x, 6);
  expect(after.y).toBeCloseTo(before.y, 6);
});

it('shows lengths across the screen true in every true view', () => {
  const v = view();
  v.look('front');
  v.advance(performance.now() + 1000);
  const [a, b] = [v.project([0, 0, 0]), v.project([50, 99, 0])];
  expect((b.x - a.x) * v.millimetresPerPixel).toBeCloseTo(50, 6);
  expect(b.y).toBeCloseTo(a.y, 6);
  expect(v.toEye.y).toBeCloseTo(-1, 9);
});

it('fits points into the free part of the screen', () => {
  const v = view();
  const free = { left: 0.25, right: 0.1, top: 0.1, bottom: 0.2 };
  const points = [new Vector3(-100, 0, 0), new Vector3(200, 40, 10), new Vector3(0, 90, -60)];
  v.fit(points, free, true);
  for (const p of points) {
    const s = v.project(p.toArray());
    expect(s.x).toBeGreaterThan(250);
    expect(s.x).toBeLessThan(900);
    expect(s.y).toBeGreaterThan(80);
    expect(s.y).toBeLessThan(640);
  }
});
