import { describe, expect, it } from 'vitest';

import { complete, openField, readFields } from './catalog';

/** A schema as the server's models write it. */
const SCHEMA = {
  $defs: { EdgeRef: {}, FaceRef: {} },
  required: ['curve', 'face', 'start'],
  properties: {
    degree: { type: 'integer', default: 5, title: 'Degree' },
    spans: { anyOf: [{ type: 'integer' }, { type: 'null' }], default: null, title: 'Spans' },
    curve: { $ref: '#/$defs/EdgeRef', title: 'Curve' },
    face: { $ref: '#/$defs/FaceRef', title: 'Face' },
    start: { type: 'array', prefixItems: [{}, {}, {}], title: 'Start' },
    more: { type: 'array', items: { $ref: '#/$defs/EdgeRef' }, title: 'More' },
    through: { type: 'array', items: { prefixItems: [{}, {}, {}] }, title: 'Through' },
    uv: { type: 'array', prefixItems: [{}, {}], title: 'u, v' },
    distance: { type: 'number', unit: 'mm', default: 12, title: 'Distance' },
    hold: { anyOf: [{ type: 'integer' }, { type: 'null' }], continuity: true, default: null, title: 'Hold' },
    shape: { enum: ['arc', 'G2'], type: 'string', default: 'arc', title: 'Shape' },
    closed: { type: 'boolean', default: false, title: 'Closed' },
    asset: { type: 'string', unseen: true, title: 'Asset' },
  },
};

describe('reading a tool from its schema', () => {
  const fields = readFields(SCHEMA);
  const kind = (name: string) => fields.find((f) => f.name === name)?.kind;

  it('knows what each field takes', () => {
    expect(fields.map((f) => [f.name, f.kind])).toEqual([
      ['curve', 'line'],
      ['face', 'face'],
      ['start', 'point'],
      ['more', 'lines'],
      ['through', 'points'],
      ['uv', 'numbers'],
      ['distance', 'number'],
      ['hold', 'continuity'],
      ['shape', 'choice'],
      ['closed', 'switch'],
      ['asset', 'other'],
      ['degree', 'number'],
      ['spans', 'number'],
    ]);
    expect(kind('nothing')).toBeUndefined();
  });

  it('knows units, defaults, what may be left out and what is whole', () => {
    expect(fields.find((f) => f.name === 'distance')).toMatchObject({ unit: 'mm', fallback: 12, optional: false, whole: false });
    expect(fields.find((f) => f.name === 'spans')).toMatchObject({ optional: true, whole: true, fallback: null });
    expect(fields.find((f) => f.name === 'asset')?.unseen).toBe(true);
  });

  it('fills inputs in their order and tells when all are there', () => {
    const params: Record<string, unknown> = {};
    expect(openField(fields, params, ['line', 'lines'])?.name).toBe('curve');
    params.curve = { feature: 'a', edge: 'c0' };
    expect(openField(fields, params, ['line', 'lines'])?.name).toBe('more');
    expect(openField(fields, params, ['face'])?.name).toBe('face');
    expect(complete(fields, params)).toBe(false);
    Object.assign(params, { face: { feature: 'b' }, start: [0, 0, 0] });
    expect(complete(fields, params)).toBe(true);
  });
});
