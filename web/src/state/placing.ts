import type { PlaceRef, Point } from '../api/types';
import { clicked, fieldBy, fieldsOf, lacks, LISTS, openField, type Widget } from './catalog';
import { changeDraft, changeParams } from './drafts';
import { useStudy, type Shape } from './study';
import { COMBS, useTools, type Draft } from './tools';

/** What a pick may be; any: a face, a curve that stands alone, or a plane. */
export type Wanted = 'line' | 'face' | 'plane' | 'point' | 'any';

const WANTS: Partial<Record<Widget, Wanted>> = {
  line: 'line', lines: 'line', face: 'face', faces: 'face', plane: 'plane', planes: 'plane', point: 'point', place: 'point', points: 'point', cvs: 'point',
};

/** Widgets that a placed point can fill. */
const PLACED: readonly Widget[] = ['point', 'place', 'points'];

/** What the tool in work would take next. */
export function wanted(): Wanted | null {
  const { tool, draft, repick, measured, asking } = useTools.getState();
  if (repick) return repick.kind;
  if (measured) return measured.length < 2 ? 'point' : null;
  if (tool === COMBS) return 'line';
  if (!draft) return null;
  const fields = fieldsOf(draft.kind);
  if (fieldBy(draft.kind, 'cvs')) return 'point';
  const asks = fields.find((f) => f.name === asking) ?? fields.find((f) => lacks(f, fields, draft.params));
  if (asks) return WANTS[asks.widget] ?? null;
  // A list goes on taking; several kinds of lists take whatever comes.
  const lists = fields.filter((f) => LISTS.includes(f.widget) && !f.once && !f.when);
  const kinds = new Set(lists.map((f) => WANTS[f.widget]));
  return kinds.size > 1 ? 'any' : (WANTS[lists[0]?.widget ?? 'none'] ?? null);
}

/** A point was placed: it goes where the tool still lacks one; as what it hangs on where the tool can follow that. */
export function placePoint(point: Point, hangsOn: PlaceRef | null = null, facing: Point | null = null): void {
  const { draft, measured, repick, asking } = useTools.getState();
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
  const cvs = fieldBy(draft.kind, 'cvs');
  if (cvs) {
    changeDraft({ [cvs.name]: { control: [...clicked(draft.params[cvs.name]), point] } });
    return;
  }
  const fields = fieldsOf(draft.kind);
  const field = openField(fields, draft.params, PLACED, asking);
  if (!field) return;
  useTools.setState({ asking: null });
  const sofar = (draft.params[field.name] as Point[] | undefined) ?? [];
  const value = field.widget === 'points' ? [...sofar, point] : field.widget === 'place' && hangsOn ? hangsOn : point;
  const lying = fields.find((f) => f.facing && draft.params[f.name] === undefined);
  changeDraft({ [field.name]: value, ...(lying && facing ? { [lying.name]: facing } : {}) });
}

/** Take the last point back that was placed. */
export function takePointBack(): boolean {
  const { draft } = useTools.getState();
  const field = draft && (fieldBy(draft.kind, 'cvs') ?? fieldBy(draft.kind, 'points'));
  if (!draft || !field) return false;
  const value = draft.params[field.name];
  const points = field.widget === 'cvs' ? clicked(value) : ((value as Point[] | undefined) ?? []);
  if (!points.length) return false;
  const rest = points.slice(0, -1);
  changeDraft({ [field.name]: field.widget === 'cvs' ? { control: rest } : rest });
  return true;
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
  const { shapes } = useStudy.getState().shown;
  return fieldsOf(draft.kind).flatMap(({ name, widget, direction }): Point[] => {
    const value: unknown = draft.params[name];
    if (widget === 'cvs') return clicked(value);
    if (!PLACED.includes(widget) || direction) return [];
    if (isPlaceRef(value)) {
      const at = placeAt(value, shapes);
      return at ? [at] : [];
    }
    if (!Array.isArray(value) || !value.length) return [];
    return Array.isArray(value[0]) ? (value as Point[]) : [value as unknown as Point];
  });
}
