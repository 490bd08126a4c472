import { beforeEach, expect, it } from 'vitest';

import type { FeatureSummary } from '../api/types';
import { aims, behind, numbersOf } from './reach';
import { loadTools } from './tools.fixture';

const step = (id: string, kind: string, params: object) => ({ id, kind, name: id, params }) as unknown as FeatureSummary;
const rim = step('rim', 'rectangle', { centre: [0, 0, 0], width: '=w + 20', height: 60 });
const other = step('other', 'circle', {});
const wall = step('wall', 'extrude', { curve: { feature: 'rim', edge: 'c0' } });
const width = step('width', 'measure_width', { lines: [{ feature: 'wall/a', edge: 'u0' }] });

beforeEach(loadTools);

it('finds what a measure hangs on, and the numbers there', () => {
  expect(behind('width', [rim, other, wall, width]).map((f) => f.id)).toEqual(['rim', 'wall', 'width']);
  const numbers = numbersOf(rim).map((n) => n.value);
  expect(numbers).toEqual(expect.arrayContaining(['rim.width', 'rim.height', 'rim.centre.z']));
  expect(numbers).not.toContain('rim.normal.x');
  expect(numbersOf(step('b', 'edge_blend', { fullness: [null, 1.1] })).map((n) => n.value)).toContain('b.fullness.1');
});

it('offers what is measured, single figures and the length of a curve', () => {
  expect(aims(width, { measured: { value: 120, unit: 'mm', lines: [] } })).toEqual([{ value: 'width', label: 'width', now: 120, unit: 'mm' }]);
  expect(aims(rim, { curves: [{ length: 300 }] })).toEqual([{ value: 'rim.length', label: 'Length', now: 300, unit: 'mm' }]);
  expect(aims(rim, undefined)).toEqual([]);
});
