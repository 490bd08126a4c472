import { describe, expect, it } from 'vitest';

import { View } from './camera';
import { nearestOnLine, PickLine } from './pickLine';

describe('pointing at lines', () => {
  const view = new View(() => undefined);
  view.resize(800, 600);
  view.turn(70, -25);
  const points = new Float32Array(Array.from({ length: 60 }, (_, i) => [i * 2 - 60, 30 * Math.sin(i / 9), 20 * Math.cos(i / 7)]).flat());

  it('finds the nearest place as a search through every leg does', () => {
    for (const [x, y] of [[400, 300], [520, 260], [90, 410]] as const) {
      const found = nearestOnLine(points, x, y, view);
      let least = Infinity;
      for (let i = 0; i + 5 < points.length; i += 3)
        for (let k = 0; k <= 50; k++) {
          const p = [0, 1, 2].map((c) => (points[i + c] ?? 0) + (k / 50) * ((points[i + 3 + c] ?? 0) - (points[i + c] ?? 0)));
          const s = view.project(p);
          least = Math.min(least, Math.hypot(s.x - x, s.y - y));
        }
      expect(found.distance).toBeLessThanOrEqual(least + 1e-6);
      expect(found.distance).toBeGreaterThan(least - 0.05);
      const shown = view.project(found.at.toArray());
      expect(Math.hypot(shown.x - x, shown.y - y)).toBeCloseTo(found.distance, 3);
    }
  });

  it('passes over lines that are far away, never over one that is near', () => {
    const line = new PickLine('u0', points);
    const on = view.project([points[90] ?? 0, points[91] ?? 0, points[92] ?? 0]);
    expect(line.mayBeNear(view, on.x, on.y, 7)).toBe(true);
    expect(line.mayBeNear(view, on.x + 4000, on.y, 7)).toBe(false);
  });
});
