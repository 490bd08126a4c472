import { describe, expect, it } from 'vitest';

import { offers, relationWords } from './relations';

const name = (id: string) => id.toUpperCase();
const line = (ref: { feature: string }) => name(ref.feature);

describe('what picked CVs can be asked for', () => {
  it('is offered as it is now', () => {
    const found = new Map(offers([0, 1], [[0, 0, 0], [30, 0, 40]]));
    expect(found.get('Leg length')?.value).toBe(50);
    expect(found.get('Angle to z')?.value).toBeCloseTo(36.87, 2);
    expect(new Map(offers([0, 1, 2], [[10, 0, 0], [0, 0, 0], [0, 5, 0]])).get('Angle')).toEqual({ kind: 'angle', cvs: [1, 0, 1, 2], value: 90 });
    expect(offers([0, 1, 2, 3, 4], [])).toEqual([]);
  });

  it('keeps CVs of another curve as what they are, and says so', () => {
    const other = { feature: 'rim', cv: 2 };
    const relation = new Map(offers([0, other], [[0, 0, 0], [1, 1, 1]])).get('One place');
    expect(relation).toEqual({ kind: 'coincident', cvs: [0, other] });
    expect(relation && relationWords(relation, name, line)).toBe('CV 1 lies on 3 of RIM');
  });

  it('names the line that is met or touched', () => {
    const rim = { feature: 'rim', edge: 'c0' };
    expect(relationWords({ kind: 'joint', cvs: [], end: 1, line: rim }, name, line)).toBe('End meets RIM');
    expect(relationWords({ kind: 'touch', cvs: [], line: rim }, name, line)).toBe('Touches RIM');
  });
});
