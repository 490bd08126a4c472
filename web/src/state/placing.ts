import type { Params, PlaceRef, Point } from '../api/types';
import { clicked, complete, fieldBy, fieldsOf, lacks, LISTS, openField, type Widget } from './catalog';
import { changeDraft, changeParams } from './drafts';
import { relationsOf, type Relation } from './relations';
import { useStudy, type Shape } from './study';
import { IDLE, type Draft } from './hand';
import { draftNow, hold, note, useTools } from './tools';
import { useView } from './view';

/** What a pick may be; any: a face, a curve that stands alone, or a plane. */
export type Wanted = 'line' | 'face' | 'plane' | 'point' | 'any';

const WANTS: Partial<Record<Widget, Wanted>> = {
  line: 'line', lines: 'line', face: 'face', faces: 'face', plane: 'plane', planes: 'plane', point: 'point', place: 'point', points: 'point', cvs: 'point',
};

/** Widgets that a placed point can fill. */
const PLACED: readonly Widget[] = ['point', 'place', 'points'];

/** What the tool in work would take next. */
export function wanted(): Wanted | null {
  const { hand } = useTools.getState();
  switch (hand.at) {
    case 'idle':
      return null;
    case 'combs':
      return 'line';
    case 'repicking':
      return hand.repick.kind;
    case 'measuring':
      return hand.points.length < 2 ? 'point' : null;
    case 'step':
      return wantedBy(hand.draft, hand.asking);
  }
}

function wantedBy(draft: Draft, asking: string | null): Wanted | null {
  const fields = fieldsOf(draft.kind);
  if (fieldBy(draft.kind, 'cvs')) return 'point';
  const asks = fields.find((f) => f.name === asking) ?? fields.find((f) => lacks(f, fields, draft.params));
  if (asks) return WANTS[asks.widget] ?? null;
  // A list goes on taking; several kinds of lists take whatever comes.
  const lists = fields.filter((f) => LISTS.includes(f.widget) && !f.once && !f.waits && !f.when);
  const kinds = new Set(lists.map((f) => WANTS[f.widget]));
  return kinds.size > 1 ? 'any' : (WANTS[lists[0]?.widget ?? 'none'] ?? null);
}

/** Whether a pick of this kind would be taken now, asked for or not. */
export function accepts(kind: 'line' | 'face' | 'plane'): boolean {
  const { hand } = useTools.getState();
  if (hand.at === 'repicking') return hand.repick.kind === kind;
  if (hand.at === 'combs') return kind === 'line';
  if (hand.at !== 'step') return false;
  const { draft, asking } = hand;
  return openField(fieldsOf(draft.kind), draft.params, [kind, `${kind}s`], asking) !== null || (kind === 'face' && fieldsOf(draft.kind).some((f) => f.turns));
}

/** Whether a step that is drawn by clicks could be kept as it is. */
export function canEnd(): boolean {
  const draft = draftNow();
  return draft !== null && (fieldBy(draft.kind, 'cvs') ?? fieldBy(draft.kind, 'points')) !== undefined && complete(fieldsOf(draft.kind), draft.params);
}

/** The plane of a step in which is drawn: what is begun there lies on it. */
function layingOn(draft: Draft): Params {
  const field = fieldsOf(draft.kind).find((f) => f.lies);
  const { step } = useView.getState().plane;
  return field && step && draft.params[field.name] === undefined ? { [field.name]: { feature: step } } : {};
}

/** A point was placed: it goes where the tool still lacks one; as what it hangs on where the tool can follow that. */
export function placePoint(point: Point, hangsOn: PlaceRef | null = null, facing: Point | null = null): void {
  const { hand } = useTools.getState();
  if (hand.at === 'repicking' && hand.repick.kind === 'point') {
    hold(IDLE);
    changeParams(hand.repick.id, { [hand.repick.field]: hangsOn ?? point }, true);
    return;
  }
  if (hand.at === 'measuring') {
    useTools.setState({ hand: { at: 'measuring', points: [...hand.points, point] } });
    return;
  }
  if (hand.at !== 'step') return;
  const { draft, asking } = hand;
  const cvs = fieldBy(draft.kind, 'cvs');
  if (cvs) {
    const sofar = clicked(draft.params[cvs.name]);
    const related = fieldBy(draft.kind, 'relations');
    const hold: Relation[] = hangsOn && related ? [...relationsOf(draft.params), { kind: 'coincident', cvs: [sofar.length, hangsOn] }] : [];
    changeDraft({ ...layingOn(draft), [cvs.name]: { ...(draft.params[cvs.name] as object | undefined), control: [...sofar, point] }, ...(hold.length && related ? { [related.name]: hold } : {}) });
    return;
  }
  const fields = fieldsOf(draft.kind);
  const field = openField(fields, draft.params, PLACED, asking);
  if (!field) return;
  note({ asking: null });
  const sofar = (draft.params[field.name] as Point[] | undefined) ?? [];
  const value = field.widget === 'points' ? [...sofar, hangsOn ?? point] : field.widget === 'place' && hangsOn ? hangsOn : point;
  const lying = fields.find((f) => f.facing && draft.params[f.name] === undefined);
  changeDraft({ ...layingOn(draft), [field.name]: value, ...(lying && facing ? { [lying.name]: facing } : {}) });
}

/** A step of which nothing is placed yet may begin in another plane. */
const freeAxis = (): void => useTools.setState(({ hand }) => (hand.at === 'step' ? { hand: { ...hand, draft: { ...hand.draft, axis: undefined } } } : {}));

/** Take the last point back that was placed. */
export function takePointBack(): boolean {
  const draft = draftNow();
  const field = draft && (fieldBy(draft.kind, 'cvs') ?? fieldBy(draft.kind, 'points'));
  if (!draft || !field) return false;
  const value = draft.params[field.name];
  const points = field.widget === 'cvs' ? clicked(value) : ((value as Point[] | undefined) ?? []);
  if (!points.length) return false;
  const rest = points.slice(0, -1);
  const related = field.widget === 'cvs' ? fieldBy(draft.kind, 'relations') : undefined;
  const kept = relationsOf(draft.params).filter((r) => r.cvs.every((cv) => typeof cv !== 'number' || cv < rest.length));
  if (!rest.length) freeAxis();
  changeDraft({ [field.name]: field.widget === 'cvs' ? { ...(value as object), control: rest } : rest, ...(related ? { [related.name]: kept } : {}) });
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
    if (widget !== 'points') return [value as unknown as Point];
    return (value as (Point | PlaceRef)[]).flatMap((p) => (isPlaceRef(p) ? (placeAt(p, shapes) ?? []) : [p]) as Point[]);
  });
}
