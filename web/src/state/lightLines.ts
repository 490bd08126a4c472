import type { LightsWanted, Point } from '../api/types';
import { useView, type LightLineSettings } from './view';

/** The way lights run that are turned by so many degrees in the plane they stand in; at 0 as level as can be. */
export function runsAlong([x, y, z]: Point, turn: number): Point {
  const size = Math.hypot(x, y, z) || 1;
  const n: Point = [x / size, y / size, z / size];
  // Square to the direction, along Y where the lights stand above.
  const level: Point = Math.abs(n[2]) > 0.999 ? [0, 1, 0] : unit([-n[1], n[0], 0]);
  const across = cross(n, level);
  const [c, s] = [Math.cos((turn * Math.PI) / 180), Math.sin((turn * Math.PI) / 180)];
  return [c * level[0] + s * across[0], c * level[1] + s * across[1], c * level[2] + s * across[2]];
}

/** The lights that a window shows, as they are asked for; null while it shows none. fresh: found for the part anew. */
export function lightsWanted(fresh = false): LightsWanted | null {
  const { light, lines } = useView.getState();
  return light === 'lines' ? asked(lines, fresh && lines.fitted) : null;
}

const asked = ({ kind, toward, turn, eye, spacing, height }: LightLineSettings, found: boolean): LightsWanted => ({
  kind,
  toward,
  along: runsAlong(toward, turn),
  eye,
  spacing: found ? null : spacing,
  height: found ? null : height,
});

const cross = (a: Point, b: Point): Point => [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];

function unit([x, y, z]: Point): Point {
  const size = Math.hypot(x, y, z) || 1;
  return [x / size, y / size, z / size];
}
