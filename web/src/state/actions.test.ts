import { beforeEach, describe, expect, it } from 'vitest';

import type { ToolInfo } from '../api/types';
import { letGo, pickEdge, pickFeature, startTool } from './actions';
import { placedPoints, placePoint, wanted } from './placing';
import { readFields, useCatalog } from './catalog';
import { useStudy, type Shape } from './study';
import { useTools } from './tools';

const point = { type: 'array', prefixItems: [{}, {}, {}] };
const line = { $ref: '#/$defs/EdgeRef' };
const TOOLS: [string, object][] = [
  ['cv_curve', { properties: { curve: { type: 'object' } }, required: ['curve'] }],
  ['arc', { properties: { start: point, through: { ...point, default: [0, 0, 0] }, end: point }, required: ['start', 'end'] }],
  ['project_curve', { properties: { curve: line, faces: { type: 'array', items: { $ref: '#/$defs/FaceRef' }, minItems: 1 } }, required: ['curve', 'faces'] }],
  ['join_curves', { properties: { curves: { type: 'array', items: line, minItems: 2 } }, required: ['curves'] }],
];

const shape = (kind: string): Shape => ({ object: { kind }, edges: [{ name: kind === 'face' ? 'u0' : 'c0' }] }) as unknown as Shape;

beforeEach(() => {
  useCatalog.setState({
    tools: new Map(TOOLS.map(([kind]) => [kind, { kind, label: kind, role: 'theoretical', stage: 'curves' } as ToolInfo])),
    fields: new Map(TOOLS.map(([kind, schema]) => [kind, readFields(schema)])),
  });
  const kept = { shapes: new Map([['rim', shape('curves')], ['crown', shape('face')], ['scan', shape('mesh')]]), features: new Map(), seams: [] };
  useStudy.setState({ kept, shown: kept, study: null });
  useTools.setState({ tool: null, draft: null, picks: [], selection: null, repick: null, measured: null });
});

const draft = () => useTools.getState().draft;

describe('drawing by CVs', () => {
  it('raises the degree with the CVs up to five, then adds spans', () => {
    startTool('cv_curve');
    for (let i = 0; i < 7; i++) placePoint([i, i * i, 0]);
    const curve = draft()?.params.curve as { degree: number; knots: number[]; control: number[][] };
    expect([curve.degree, curve.control.length, curve.knots.length]).toEqual([5, 7, 13]);
    expect(curve.knots[6]).toBe(0.5);
    expect(wanted()).toBe('point');
  });

  it('takes points back one by one, then lets go of the tool', () => {
    startTool('cv_curve');
    placePoint([0, 0, 0]);
    placePoint([1, 0, 0]);
    letGo();
    const left = draft();
    expect(left && placedPoints(left)).toEqual([[0, 0, 0]]);
    letGo();
    expect(draft()).toBeNull();
    expect(useTools.getState().tool).toBeNull();
  });
});

describe('picking inputs', () => {
  it('puts the points of an arc where they belong', () => {
    startTool('arc');
    placePoint([0, 0, 0]);
    placePoint([5, 5, 0]);
    placePoint([10, 0, 0]);
    expect(draft()?.params).toMatchObject({ start: [0, 0, 0], through: [5, 5, 0], end: [10, 0, 0] });
    expect(wanted()).toBeNull();
  });

  it('takes a curve, then a face, and passes over references', () => {
    startTool('project_curve');
    expect(wanted()).toBe('line');
    pickFeature('rim');
    expect(wanted()).toBe('face');
    pickFeature('scan');
    expect(draft()?.params.faces).toBeUndefined();
    pickFeature('crown');
    expect(draft()?.params).toEqual({ curve: { feature: 'rim', edge: 'c0' }, faces: [{ feature: 'crown' }] });
  });

  it('starts with what is selected, and takes a list without repeats', () => {
    useTools.setState({ selection: { kind: 'feature', id: 'rim' } });
    startTool('join_curves');
    pickEdge({ feature: 'rim', edge: 'c0' });
    pickEdge({ feature: 'crown', edge: 'u0' });
    expect(draft()?.params.curves).toEqual([{ feature: 'rim', edge: 'c0' }, { feature: 'crown', edge: 'u0' }]);
    expect(wanted()).toBe('line');
  });

  it('refuses the same edge twice for a blend', () => {
    startTool('edge_blend');
    pickEdge({ feature: 'crown', edge: 'u0' });
    pickEdge({ feature: 'crown', edge: 'u0' });
    expect(useTools.getState().problem).toContain('picked twice');
    expect(draft()).toBeNull();
  });
});
