import type { EdgeRef, Params, PlaceRef, Point } from '../api/types';

export type RelationKind =
  | 'fixed'
  | 'coincident'
  | 'same'
  | 'length'
  | 'incline'
  | 'symmetric'
  | 'collinear'
  | 'equal'
  | 'angle'
  | 'at'
  | 'axis'
  | 'plane'
  | 'inline'
  | 'touch'
  | 'joint';

/** A CV of the curve itself by its number, or one of another curve, or a place on a line. */
export type RelatedCv = number | PlaceRef;

/** A relation as it is stored with a CV curve. */
export interface Relation {
  kind: RelationKind;
  cvs: RelatedCv[];
  axis?: number;
  value?: number | string;
  point?: Point;
  line?: EdgeRef | null;
  plane?: { feature: string } | null;
  end?: number;
  order?: number;
}

/** Relations of a curve; what its file left out is filled in. */
export const relationsOf = (params: Params | undefined): Relation[] =>
  ((params?.relations as Partial<Relation>[] | undefined) ?? []).map((r) => ({ kind: 'fixed', cvs: [], ...r }));

/** Units of the relations that have a value. */
export const UNITS: Partial<Record<RelationKind, string>> = { length: 'mm', angle: '°', incline: '°', symmetric: 'mm', at: 'mm', axis: 'mm', plane: 'mm' };

const AXES = ['x', 'y', 'z'];

/** A relation in words; `name` and `line` tell what other objects are called. */
export function relationWords({ kind, cvs, axis = 2, line = null, plane = null, end = 0 }: Relation, name: (id: string) => string, lineName: (ref: EdgeRef) => string): string {
  const one = (cv: RelatedCv | undefined) => {
    if (typeof cv !== 'object') return `${(cv ?? 0) + 1}`;
    return 'cv' in cv ? `${cv.cv + 1} of ${name(cv.feature)}` : `${cv.at === 0 ? 'the start of ' : cv.at === 1 ? 'the end of ' : ''}${lineName(cv)}`;
  };
  const [a, b, c, d] = cvs.map(one);
  const to = line ? lineName(line) : '–';
  switch (kind) {
    case 'fixed':
      return `CV ${a} stays`;
    case 'coincident':
      return `CV ${a} lies on ${b}`;
    case 'same':
      return `CV ${a} and ${b}: same ${AXES[axis]}`;
    case 'length':
      return `Leg ${a}–${b}`;
    case 'incline':
      return `Leg ${a}–${b} to ${AXES[axis]}`;
    case 'symmetric':
      return `CV ${a} mirrors ${b} at ${AXES[axis]}`;
    case 'collinear':
      return `CV ${a}, ${b}, ${c} in line`;
    case 'equal':
      return `Legs ${a}–${b} and ${c}–${d} equal`;
    case 'angle':
      return `Legs ${a}–${b} and ${c}–${d} at`;
    case 'at':
      return `CV ${a} at ${AXES[axis]}`;
    case 'axis':
      return `CV ${a} from the ${AXES[axis]} axis`;
    case 'plane':
      return `CV ${a} above ${plane ? name(plane.feature) : '–'}`;
    case 'inline':
      return `CV ${a}, ${b}, ${c} in line with ${to}`;
    case 'touch':
      return `Touches ${to}`;
    case 'joint':
      return `${end ? 'End' : 'Start'} meets ${to}`;
  }
}

type Vector = readonly [number, number, number];
const round = (v: number): number => Math.round(v * 1000) / 1000;
const minus = (a: Vector, b: Vector): Vector => [a[0] - b[0], a[1] - b[1], a[2] - b[2]];
const length = (a: Vector): number => Math.hypot(...a);
const between = (a: Vector, b: Vector): number => {
  const cosine = (a[0] * b[0] + a[1] * b[1] + a[2] * b[2]) / Math.max(1e-12, length(a) * length(b));
  return round((Math.acos(Math.min(1, Math.max(-1, cosine))) * 180) / Math.PI);
};

/** What can be asked of the picked CVs, each as it is now. `at`: their places, in the same order. */
export function offers(cvs: readonly RelatedCv[], at: readonly Vector[]): [string, Relation][] {
  const [a, b, c, d] = cvs as [RelatedCv, RelatedCv, RelatedCv, RelatedCv];
  const [p, q, r, s] = at as [Vector, Vector, Vector, Vector];
  if (cvs.length === 1)
    return [
      ['Stays here', { kind: 'fixed', cvs: [a], point: [...p] }],
      ...AXES.map((name, axis): [string, Relation] => [`Keeps ${name}`, { kind: 'at', cvs: [a], axis, value: round(p[axis] ?? 0) }]),
      ...AXES.map((name, axis): [string, Relation] => [
        `From ${name} axis`,
        { kind: 'axis', cvs: [a], axis, value: round(Math.hypot(...p.filter((_, k) => k !== axis))) },
      ]),
    ];
  if (cvs.length === 2)
    return [
      ['One place', { kind: 'coincident', cvs: [a, b] }],
      ...AXES.map((name, axis): [string, Relation] => [`Same ${name}`, { kind: 'same', cvs: [a, b], axis }]),
      ['Leg length', { kind: 'length', cvs: [a, b], value: round(length(minus(q, p))) }],
      ...AXES.map((name, axis): [string, Relation] => [
        `Angle to ${name}`,
        { kind: 'incline', cvs: [a, b], axis, value: between(minus(q, p), [axis === 0 ? 1 : 0, axis === 1 ? 1 : 0, axis === 2 ? 1 : 0]) },
      ]),
      ...AXES.map((name, axis): [string, Relation] => [`Mirror at ${name} = 0`, { kind: 'symmetric', cvs: [a, b], axis, value: 0 }]),
    ];
  if (cvs.length === 3)
    return [
      ['In line', { kind: 'collinear', cvs: [a, b, c] }],
      ['Equal legs', { kind: 'equal', cvs: [a, b, b, c] }],
      ['Angle', { kind: 'angle', cvs: [b, a, b, c], value: between(minus(p, q), minus(r, q)) }],
    ];
  if (cvs.length === 4)
    return [
      ['Equal legs', { kind: 'equal', cvs: [a, b, c, d] }],
      ['Angle', { kind: 'angle', cvs: [a, b, c, d], value: between(minus(q, p), minus(s, r)) }],
    ];
  return [];
}
