import { beforeEach, describe, expect, it, vi } from 'vitest';

import { startRepick, startTool } from './actions';
import { isPlaceRef, placeAt, placedPoints, placePoint, wanted } from './placing';
import { freshStudy } from './perStudy';
import { useStudy, type Shape } from './study';
import { draftNow, useTools } from './tools';
import { loadTools } from './tools.fixture';

const commit = vi.hoisted(() => vi.fn(() => Promise.resolve(true)));
vi.mock(import('./session'), async (original) => ({ ...(await original()), commit }));

const rim = {
  object: { kind: 'curves', cvs: { count: [2, 1], points: [0, 0, 0, 30, 40, 0] } },
  edges: [{ name: 'c0', points: new Float32Array([0, 0, 0, 30, 0, 0, 30, 10, 0]) }],
} as unknown as Shape;
const shapes = new Map([['rim', rim]]);

beforeEach(() => {
  loadTools();
  freshStudy();
  const picture = { shapes, features: new Map(), seams: [] };
  useStudy.setState({ kept: picture, shown: picture, study: null });
});

const params = () => draftNow()?.params;

describe('places', () => {
  it('hang on what was caught where the tool can follow it, and are shown where that lies', () => {
    startTool('line');
    placePoint([0, 0, 0], { feature: 'rim', edge: 'c0', at: 0.5 });
    placePoint([1, 2, 3]);
    expect(params()).toEqual({ start: { feature: 'rim', edge: 'c0', at: 0.5 }, end: [1, 2, 3] });
    const draft = draftNow();
    expect(draft && placedPoints(draft)).toEqual([[20, 0, 0], [1, 2, 3]]);
    expect(wanted()).toBeNull();
  });

  it('are found along a line by its length, and at a CV', () => {
    expect(placeAt({ feature: 'rim', edge: 'c0', at: 1 }, shapes)).toEqual([30, 10, 0]);
    expect(placeAt({ feature: 'rim', edge: 'c0', at: 0.875 }, shapes)).toEqual([30, 5, 0]);
    expect(placeAt({ feature: 'rim', cv: 1 }, shapes)).toEqual([30, 40, 0]);
    expect(placeAt({ feature: 'rim', cv: 5 }, shapes)).toBeNull();
    expect(placeAt({ feature: 'gone', edge: 'c0', at: 0 }, shapes)).toBeNull();
    expect(isPlaceRef([1, 2, 3])).toBe(false);
  });

  it('a flat shape lies in the working plane in which its first point was placed', () => {
    startTool('ellipse');
    placePoint([5, 0, 0], null, [0, 0, 1]);
    expect(params()).toEqual({ centre: [5, 0, 0], normal: [0, 0, 1] });
  });

  it('of a kept step is asked for anew and taken as what it hangs on', () => {
    startRepick({ id: 'line', field: 'end', kind: 'point' });
    expect(wanted()).toBe('point');
    placePoint([30, 40, 0], { feature: 'rim', cv: 1 });
    expect(commit).toHaveBeenCalledWith({ op: 'set_params', id: 'line', changes: { end: { feature: 'rim', cv: 1 } } });
    expect(useTools.getState().hand.at).toBe('idle');
  });
});
