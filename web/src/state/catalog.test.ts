import { describe, expect, it } from 'vitest';

import { complete, counts, fieldBy, fieldsOf, openField } from './catalog';
import { loadTools } from './tools.fixture';

loadTools();

describe('a tool as the server describes it', () => {
  it('is filled in the order of its fields, and is complete when nothing is lacking', () => {
    const fields = fieldsOf('project_curve');
    const params: Record<string, unknown> = {};
    expect(openField(fields, params, ['line', 'lines'])?.name).toBe('curve');
    params.curve = { feature: 'a', edge: 'c0' };
    expect(openField(fields, params, ['line', 'lines'])).toBeNull();
    expect(openField(fields, params, ['face', 'faces'])?.name).toBe('faces');
    expect(complete(fields, params)).toBe(false);
    params.faces = [{ feature: 'b' }];
    expect(complete(fields, params)).toBe(true);
  });

  it('asks for a place that has a default, as long as the choice that it belongs to is made', () => {
    const fields = fieldsOf('arc');
    const ends = { start: [0, 0, 0], end: [9, 0, 0] };
    expect(complete(fields, ends)).toBe(false);
    expect(openField(fields, ends, ['place'])?.name).toBe('through');
    expect(complete(fields, { ...ends, by: 'radius' })).toBe(true);
  });

  it('shows fields only with the choice they belong to, chosen or by default', () => {
    const fields = fieldsOf('corner_curve');
    const shown = (params: Record<string, unknown>) => fields.filter((f) => f.when && counts(f, fields, params)).map((f) => f.name);
    expect(shown({})).toContain('radius');
    expect(shown({ by: 'chord' })).toContain('chord');
    expect(shown({ by: 'chord' })).not.toContain('radius');
  });

  it('takes one list of several where one must be filled', () => {
    const fields = fieldsOf('trim_faces');
    const params = { faces: [{ feature: 'a' }] };
    expect(complete(fields, params)).toBe(false);
    expect(complete(fields, { ...params, by_planes: [{ feature: 'p' }] })).toBe(true);
  });

  it('says which field holds what the window has a widget for', () => {
    expect(fieldBy('cv_curve', 'relations')?.name).toBe('relations');
    expect(fieldBy('line', 'relations')).toBeUndefined();
    expect(fieldBy('nothing', 'cvs')).toBeUndefined();
  });
});
