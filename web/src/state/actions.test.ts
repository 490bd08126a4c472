import { beforeEach, describe, expect, it } from 'vitest';

import { letGo, pickEdge, pickFeature, startTool } from './actions';
import { changeDraft } from './drafts';
import { placedPoints, placePoint, wanted } from './placing';
import { freshStudy } from './perStudy';
import { useStudy, type Shape } from './study';
import { draftNow, note, problemOf, useTools } from './tools';
import { loadTools } from './tools.fixture';

const shape = (kind: string): Shape => ({ object: { kind }, edges: [{ name: kind === 'face' ? 'u0' : 'c0' }] }) as unknown as Shape;

beforeEach(() => {
  loadTools();
  freshStudy();
  const kept = { shapes: new Map([['rim', shape('curves')], ['crown', shape('face')], ['scan', shape('mesh')]]), features: new Map(), seams: [] };
  useStudy.setState({ kept, shown: kept, study: null });
});

const draft = draftNow;

describe('drawing by CVs', () => {
  it('sends the CVs alone: what the curve is made of follows from them', () => {
    startTool('cv_curve');
    for (let i = 0; i < 3; i++) placePoint([i, i * i, 0]);
    expect(draft()?.params.curve).toEqual({ control: [[0, 0, 0], [1, 1, 0], [2, 4, 0]] });
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
    letGo();
    expect(draft()).toBeNull();
    expect(useTools.getState().hand.at).toBe('idle');
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

  it('moves a line from a list to the place that it is picked for, and says where it is already', () => {
    startTool('sweep');
    pickFeature('rim');
    const edge = { feature: 'rim', edge: 'c0' };
    expect(draft()?.params.rail).toEqual(edge);
    pickFeature('rim');
    expect(problemOf(useTools.getState())).toContain('This line is the “Rail” already');
    expect(draft()?.params.sections).toBeUndefined();
    changeDraft({ rail: undefined, sections: [edge] });
    pickFeature('rim');
    expect(draft()?.params).toMatchObject({ rail: edge, sections: [] });
  });

  it('puts what is picked on and on into the list that was asked for', () => {
    startTool('loft');
    pickEdge({ feature: 'rim', edge: 'c0' });
    note({ asking: 'guides' });
    pickEdge({ feature: 'crown', edge: 'u0' });
    pickEdge({ feature: 'crown', edge: 'u1' });
    expect(draft()?.params).toMatchObject({ sections: [{ feature: 'rim', edge: 'c0' }], guides: [{ feature: 'crown', edge: 'u0' }, { feature: 'crown', edge: 'u1' }] });
    letGo();
    pickEdge({ feature: 'crown', edge: 'v1' });
    expect(draft()?.params.sections).toHaveLength(2);
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

  it('finds the edges of the neighbours of a patch that is replaced, the longest along each side', () => {
    const seam = (side: string, feature: string, length: number) => ({ a: { feature: 'crown', edge: side }, b: { feature, edge: 'u0' }, length });
    const { kept } = useStudy.getState();
    const seams = [seam('u0', 'rim', 5), seam('u0', 'left', 50), { ...seam('v1', 'top', 30), a: { feature: 'top', edge: 'u0' }, b: { feature: 'crown', edge: 'v1' } }];
    useStudy.setState({ kept: { ...kept, seams: seams as unknown as typeof kept.seams } });
    startTool('replace_patch');
    pickFeature('crown');
    expect(draft()?.params).toEqual({ face: { feature: 'crown' }, edges: [{ feature: 'left', edge: 'u0' }, { feature: 'top', edge: 'u0' }] });
  });

  it('takes the faces along a crease, and those that meet both at its ends, with its edge', () => {
    const seam = (a: string, b: string) => ({ a: { feature: a, edge: 'u0' }, b: { feature: b, edge: 'v1' }, length: 10 });
    const seams = [seam('deck', 'wall'), { ...seam('across', 'deck'), b: { feature: 'deck', edge: 'v0' } }, seam('across', 'wall'), seam('wall', 'floor')];
    useStudy.setState({ kept: { ...useStudy.getState().kept, seams: seams as never } });
    startTool('fillet');
    pickEdge({ feature: 'deck', edge: 'u0' });
    expect(draft()?.params.faces).toEqual([{ feature: 'wall' }, { feature: 'across' }]);
  });

  it('refuses the same edge twice for a blend', () => {
    startTool('edge_blend');
    pickEdge({ feature: 'crown', edge: 'u0' });
    pickEdge({ feature: 'crown', edge: 'u0' });
    expect(problemOf(useTools.getState())).toContain('picked twice');
    pickEdge({ feature: 'rim', edge: 'c0' });
    expect(draft()?.params).toEqual({ first: { feature: 'crown', edge: 'u0' }, second: { feature: 'rim', edge: 'c0' } });
  });
});
