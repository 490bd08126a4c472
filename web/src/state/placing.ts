import type { Params, PlaceRef, Point } from '../api/types';
import { LISTS, openField, type Field } from './catalog';
import { changeDraft, changeParams, drawnCvs, fieldsOf } from './drafts';
import { useStudy, type Shape } from './study';
import { useTools, type Draft } from './tools';

/** What a pick may be; any: a face, a curve that stands alone, or a plane. */
export type Wanted = 'line' | 'face' | 'plane' | 'point' | 'any';

const WANTS: Partial<Record<Field['kind'], Wanted>> = { line: 'line', lines: 'line', face: 'face', faces: 'face', plane: 'plane', planes: 'plane', point: 'point', place: 'point', points: 'point' };

/** What the tool in work would take next. */
export function wanted(): Wanted | null {
  const { tool, draft, repick, measured, asking } = useTools.getState();
  if (repick) return repick.kind;
  if (measured) return measured.length < 2 ? 'point' : null;
  if (tool === 'comb') return 'line';
  if (tool === 'edge_blend') return draft ? null : 'line';
  if (!draft) return null;
  if (draft.kind === 'cv_curve') return 'point';
  if (draft.kind === 'arc' && draft.params.end !== undefined) return null;
  const fields = fieldsOf(draft.kind);
  const asks = fields.find((f) => f.name === asking);
  if (asks) return WANTS[asks.kind] ?? null;
  const lacks = fields.find((f) => f.required && draft.params[f.name] === undefined);
  if (lacks) return WANTS[lacks.kind] ?? null;
  // A list goes on taking; several kinds of lists take whatever comes.
  const lists = fields.filter((f) => LISTS.includes(f.kind) && !f.once && !f.when);
  const kinds = new Set(lists.map((f) => WANTS[f.kind]));
  return kinds.size > 1 ? 'any' : (WANTS[lists[0]?.kind ?? 'other'] ?? null);
}

/** A point was placed: it goes where the tool still lacks one; as what it hangs on where the tool can follow that. */
export function placePoint(point: Point, hangsOn: PlaceRef | null = null, facing: Point | null = null): void {
  const { draft, measured, repick } = useTools.getState();
  if (repick?.kind === 'point') {
    useTools.setState({ repick: null, caught: null });
    changeParams(repick.id, { [repick.field]: hangsOn ?? point }, true);
    return;
  }
  if (measured) {
    useTools.setState({ measured: [...measured, point] });
    return;
  }
  if (!draft) return;
  if (draft.kind === 'cv_curve') {
    changeDraft(withCv(draft.params, point));
    return;
  }
  const fields = fieldsOf(draft.kind);
  const field = nextPoint(draft, fields);
  if (!field) return;
  const sofar = (draft.params[field.name] as Point[] | undefined) ?? [];
  const value = field.kind === 'points' ? [...sofar, point] : field.kind === 'place' && hangsOn ? hangsOn : point;
  const lying = fields.find((f) => f.name === 'normal' && f.direction && draft.params.normal === undefined);
  changeDraft({ [field.name]: value, ...(lying && facing ? { normal: facing } : {}) });
}

function nextPoint(draft: Draft, fields: readonly Field[]): Field | null {
  // An arc takes the point on its way, which has a default, between its two ends.
  const through = draft.kind === 'arc' && draft.params.start !== undefined && draft.params.through === undefined;
  return (through && fields.find((f) => f.name === 'through')) || openField(fields, draft.params, ['point', 'place', 'points']);
}

/** Degree of a curve that is drawn by its CVs: as high as they allow, to this; then more spans. */
const DRAWN_DEGREE = 5;

function withCv(params: Params, point: Point): Params {
  const curve = params.curve as { control: Point[] } | undefined;
  const control = [...(curve?.control ?? []), point];
  const degree = Math.min(DRAWN_DEGREE, Math.max(1, control.length - 1));
  const spans = Math.max(1, control.length - degree);
  const inner = Array.from({ length: spans - 1 }, (_, i) => (i + 1) / spans);
  const knots = [...Array<number>(degree + 1).fill(0), ...inner, ...Array<number>(degree + 1).fill(1)];
  return { curve: { degree, knots, control, weights: null } };
}

/** Take the last point back that was placed. */
export function takePointBack(): boolean {
  const { draft } = useTools.getState();
  if (draft?.kind === 'cv_curve' && drawnCvs(draft).length > 1) {
    let params: Params = {};
    for (const p of drawnCvs(draft).slice(0, -1)) params = withCv(params, p as Point);
    changeDraft(params);
    return true;
  }
  const points = draft?.params.points as Point[] | undefined;
  if (draft && points?.length) {
    changeDraft({ points: points.slice(0, -1) });
    return true;
  }
  return false;
}

/** Whether a value is a place that hangs on a line or a CV. */
export const isPlaceRef = (value: unknown): value is PlaceRef =>
  typeof value === 'object' && value !== null && 'feature' in value && ('at' in value || 'cv' in value);

/** Where a place that hangs on something lies now, as drawn; null if that is gone. */
export function placeAt(ref: PlaceRef, shapes: ReadonlyMap<string, Shape>): Point | null {
  const shape = shapes.get(ref.feature);
  if (!shape) return null;
  if ('cv' in ref) {
    const [x, y, z] = shape.object.cvs.points.slice(3 * ref.cv, 3 * ref.cv + 3);
    return x === undefined || y === undefined || z === undefined ? null : [x, y, z];
  }
  const points = shape.edges.find((e) => e.name === ref.edge)?.points;
  return points ? alongLine(points, ref.at) : null;
}

function alongLine(points: Float32Array, share: number): Point {
  const at = (i: number): Point => [points[3 * i] ?? 0, points[3 * i + 1] ?? 0, points[3 * i + 2] ?? 0];
  const apart = (a: Point, b: Point) => Math.hypot(b[0] - a[0], b[1] - a[1], b[2] - a[2]);
  const last = points.length / 3 - 1;
  let whole = 0;
  for (let i = 0; i < last; i++) whole += apart(at(i), at(i + 1));
  let left = share * whole;
  for (let i = 0; i < last; i++) {
    const [a, b] = [at(i), at(i + 1)];
    const step = apart(a, b);
    if (left <= step) {
      const t = step ? left / step : 0;
      return [a[0] + t * (b[0] - a[0]), a[1] + t * (b[1] - a[1]), a[2] + t * (b[2] - a[2])];
    }
    left -= step;
  }
  return at(last);
}

/** Points placed so far, to be seen before there is a shape. */
export function placedPoints(draft: Draft): Point[] {
  if (draft.kind === 'cv_curve') return drawnCvs(draft) as Point[];
  const { shapes } = useStudy.getState().shown;
  const placed = new Set(fieldsOf(draft.kind).filter((f) => ['point', 'place', 'points'].includes(f.kind) && !f.direction).map((f) => f.name));
  return Object.entries(draft.params).flatMap(([name, v]): Point[] => {
    if (!placed.has(name)) return [];
    if (isPlaceRef(v)) {
      const at = placeAt(v, shapes);
      return at ? [at] : [];
    }
    if (!Array.isArray(v) || !v.length) return [];
    return Array.isArray(v[0]) ? (v as Point[]) : [v as unknown as Point];
  });
}
