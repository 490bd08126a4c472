import { describe, expect, it } from 'vitest';

import { useStudy, type SeamLine } from './study';
import { lineWords, seamNames } from './words';

const seam = (a: string, edge: string, b: string, other: string, stretch = ''): SeamLine =>
  ({ key: `${b}.${other}|${a}.${edge}${stretch}`, name: `${a} · ${b}`, sides: [a, b], a: { feature: a, edge }, b: { feature: b, edge: other } }) as unknown as SeamLine;

describe('names of seams', () => {
  it('tell no edges where they need none', () => {
    expect([...seamNames([seam('Patch', 'u0', 'Roof', 'v1'), seam('Patch', 'u0', 'Wall', 'v1')]).values()]).toEqual(['Patch · Roof', 'Patch · Wall']);
  });

  it('tell the edges of the face that has one for each', () => {
    const round = (a: string, b: string) => [...seamNames([seam(a, 'u0', b, 'c'), seam(a, 'v1', b, 'c', '#2')]).values()];
    expect(round('Patch', 'Roof')).toEqual(['Patch, u start · Roof', 'Patch, v end · Roof 2']);
    expect([...seamNames([seam('Roof', 'u0', 'Patch', 'v0'), seam('Roof', 'u0', 'Patch', 'v1')]).values()]).toEqual(['Roof · Patch, v start', 'Roof · Patch, v end']);
  });
});

describe('edges', () => {
  it('of a face that others bound are named by these', () => {
    useStudy.setState({ study: { features: [{ id: 'wall_a', name: 'Wall' }, { id: 'cap', name: 'Cap' }] } as never });
    expect(lineWords('cap:wall_a_v1')).toBe('along Wall, v end');
    expect(lineWords('cap:elsewhere_v1')).toBe('cut elsewhere_v1 of Cap');
    useStudy.setState({ study: null });
  });
});
