import { Vector3 } from 'three';
import { beforeEach, describe, expect, it } from 'vitest';

import type { FeatureSummary, StudySummary } from '../api/types';
import { useStudy, type Shape } from '../state/study';
import { useView } from '../state/view';
import { catchAt, placeOf } from './catching';
import type { Viewport } from './viewport';

/** Seen from the front: x to the right, z up, a pixel for every millimetre, the origin at (400, 300). */
const line = new Vector3(60, 30, 0);
const viewport = {
  view: {
    width: 800,
    height: 600,
    under: (x: number, y: number) => new Vector3(x - 400, -9999, 300 - y),
    toEye: new Vector3(0, -1, 0),
    project: (p: readonly number[]) => ({ x: 400 + (p[0] ?? 0), y: 300 - (p[2] ?? 0), depth: 0 }),
  },
  lineAt: (x: number, y: number, _reach: number, without: string | null) =>
    without !== 'rim' && Math.abs(y - 300) < 9 && x > 400 && x < 500 ? { feature: 'rim', edge: 'c0', at: line } : null,
  faceAt: (x: number) => (x > 600 ? { id: x > 700 ? 'scan' : 'crown', point: new Vector3(250, 12, 7), u: 0, v: 0, normal: new Vector3() } : null),
} as unknown as Viewport;

const curve = {
  object: { kind: 'curves', cvs: { count: [3, 1], points: [0, 30, 0, 50, 30, 80, 100, 30, 0] } },
  edges: [{ name: 'c0', points: new Float32Array([0, 30, 0, 60, 30, 0, 100, 30, 0]) }],
} as unknown as Shape;
const other = (kind: string, plane: number[][] | null = null) => ({ object: { kind, cvs: { points: [] }, plane }, edges: [] }) as unknown as Shape;

beforeEach(() => {
  const shapes = new Map([
    ['rim', curve],
    ['crown', other('face')],
    ['scan', other('mesh')],
    ['deck', other('plane', [[0, 45, 0], [1, 0, 0], [0, 0, 1]])],
  ]);
  const picture = { shapes, features: new Map(), seams: [] };
  const features = [...shapes.keys()].map((id) => ({ id, name: id, kind: id === 'deck' ? 'plane_parallel' : 'x', hidden: false }) as FeatureSummary);
  useStudy.setState({ kept: picture, shown: picture, study: { features } as unknown as StudySummary });
  useView.setState((v) => ({
    isolated: null,
    plane: { axis: 'auto', offset: 0, step: null },
    catching: { ...v.catching, points: true, lines: true, faces: false, meshes: false, planes: false, dropped: false },
  }));
});

const catching = (changes: object) => useView.setState((v) => ({ catching: { ...v.catching, ...changes } }));

describe('what a point catches', () => {
  it('is an end before the line it ends, a CV before a line, and is named', () => {
    expect(catchAt(viewport, 402, 303)).toMatchObject({ feature: 'rim', edge: 'c0', end: 0, words: 'start of rim' });
    expect(catchAt(viewport, 452, 218)).toMatchObject({ feature: 'rim', cv: 1, words: 'CV 2 of rim' });
    expect(catchAt(viewport, 460, 304)).toMatchObject({ feature: 'rim', edge: 'c0', words: 'rim' });
    expect(catchAt(viewport, 460, 340)).toBeNull();
  });

  it('is only what was asked for, and never a curve that is being dragged', () => {
    catching({ points: false, lines: false });
    expect(catchAt(viewport, 402, 303)).toBeNull();
    catching({ points: true, lines: true });
    expect(catchAt(viewport, 402, 303, 'rim')).toBeNull();
    expect(catchAt(viewport, 650, 300)).toBeNull();
    catching({ faces: true });
    expect(catchAt(viewport, 650, 300)?.words).toBe('surface of crown');
    expect(catchAt(viewport, 750, 300)).toBeNull();
    catching({ meshes: true });
    expect(catchAt(viewport, 750, 300)).toMatchObject({ feature: 'scan', drawn: true });
    catching({ planes: true });
    expect(catchAt(viewport, 520, 200)?.at.toArray().map(Math.round)).toEqual([120, 45, 100]);
  });

  it('is passed over by a free point, which lies in the working plane in hundredths', () => {
    useView.setState({ plane: { axis: 'y', offset: 12, step: null } });
    expect(placeOf(viewport, 402, 303, false)?.caught).toBeNull();
    expect(placeOf(viewport, 402, 303, true)?.caught).not.toBeNull();
    catching({ on: true });
    expect(placeOf(viewport, 402.123, 303, true)).toEqual({ point: [2.12, 12, -3], caught: null });
    expect(placeOf(viewport, 402, 303, false)?.point).toEqual([0, 30, 0]);
    catching({ dropped: true });
    expect(placeOf(viewport, 402, 303, false)?.point).toEqual([0, 12, 0]);
  });

  it('in a plane of its own lies in that plane', () => {
    useView.setState({ plane: { axis: 'auto', offset: 0, step: 'deck' } });
    expect(placeOf(viewport, 520, 200, true)?.point).toEqual([120, 45, 100]);
    useView.setState({ plane: { axis: 'x', offset: 0, step: null } });
    expect(placeOf(viewport, 520, 200, true)).toBeNull();
  });
});
