import { Vector3 } from 'three';

import type { PlaceRef, Point } from '../api/types';
import { isShown } from '../state/actions';
import { toolOf } from '../state/catalog';
import { locate } from '../state/session';
import { featureName, isCurve, stepOf, useStudy } from '../state/study';
import { useTools } from '../state/tools';
import { useView } from '../state/view';
import { dropped, onPlane, planeOfStep, rounded, underPixel } from './plane';
import type { Viewport } from './viewport';

const REACH = 9;

/** What lies under the pointer to be caught, as drawn. */
export interface Catch {
  at: Vector3;
  words: string;
  feature: string;
  /** The line it lies on, a CV by its number, or neither on a face or plane. */
  edge?: string;
  cv?: number;
  /** End of the line: 0 its start, 1 its end. */
  end?: 0 | 1;
  /** Whether it is as exact as it is drawn: a mesh has nothing finer. */
  drawn?: boolean;
}

export interface Placed {
  point: Point;
  caught: Catch | null;
}

/** What a point near a pixel catches: an end or CV before a line, a line before a face, a face before a plane. */
export function catchAt(viewport: Viewport, x: number, y: number, without: string | null = null): Catch | null {
  const { points, lines, faces, meshes, planes } = useView.getState().catching;
  const mark = points ? nearestMark(viewport, x, y, without) : null;
  if (mark) return mark;
  const line = lines ? viewport.lineAt(x, y, REACH, without) : null;
  if (line) return { at: line.at, words: featureName(line.feature), feature: line.feature, edge: line.edge };
  const face = faces || meshes ? viewport.faceAt(x, y) : null;
  const kind = face && face.id !== without ? useStudy.getState().shown.shapes.get(face.id)?.object.kind : null;
  if (face && kind && ((faces && kind === 'face') || (meshes && kind === 'mesh')))
    return { at: face.point, words: `surface of ${featureName(face.id)}`, feature: face.id, drawn: kind === 'mesh' };
  return planes ? planeAt(viewport, x, y) : null;
}

/** Whether points catch what is near, with the key that turns it round held or not. What is measured, or laid through points, always does. */
export function catches(turned: boolean): boolean {
  const { hand, dragging } = useTools.getState();
  const makes = (hand.at === 'step' && toolOf(hand.draft.kind)?.makes) || '';
  const measuring = !dragging && (hand.at === 'measuring' || ['figure', 'plane'].includes(makes));
  return (measuring || useView.getState().catching.on) !== turned;
}

/** Where a point goes: on the working plane, or where it is caught. turned: whether the key that turns catching round is held. */
export function placeOf(viewport: Viewport, x: number, y: number, turned: boolean): Placed | null {
  const caught = catches(turned) ? catchAt(viewport, x, y) : null;
  if (caught) {
    const at = useView.getState().catching.dropped ? dropped(viewport, caught.at) : caught.at;
    return { point: [at.x, at.y, at.z], caught: { ...caught, at } };
  }
  const plain = onPlane(viewport, x, y);
  return plain ? { point: rounded(viewport, plain), caught: null } : null;
}

/** The exact place of what was caught, and what it hangs on, where a tool can follow that. */
export async function settled(viewport: Viewport, placed: Placed): Promise<{ point: Point; hangsOn: PlaceRef | null }> {
  const { caught } = placed;
  if (!caught) return { point: placed.point, hangsOn: null };
  const exact = await exactPlace(caught);
  if (!useView.getState().catching.dropped) return exact;
  const foot = dropped(viewport, new Vector3(...exact.point));
  return { point: [foot.x, foot.y, foot.z], hangsOn: null };
}

async function exactPlace({ feature, edge, cv, end, at, drawn }: Catch): Promise<{ point: Point; hangsOn: PlaceRef | null }> {
  if (cv !== undefined) return { point: [at.x, at.y, at.z], hangsOn: { feature, cv } };
  if (drawn) return { point: [at.x, at.y, at.z], hangsOn: null };
  const found = await locate(feature, edge ?? null, [at.x, at.y, at.z]);
  const share = end ?? found.at;
  return { point: found.point, hangsOn: edge && share !== null ? { feature, edge, at: share } : null };
}

function planeAt(viewport: Viewport, x: number, y: number): Catch | null {
  const { study, shown } = useStudy.getState();
  const { isolated } = useView.getState();
  for (const f of study?.features ?? []) {
    const plane = shown.shapes.has(f.id) && isShown(f, isolated) ? planeOfStep(f.id) : null;
    const at = plane && underPixel(viewport, plane, x, y);
    if (at) return { at, words: `plane ${f.name}`, feature: f.id };
  }
  return null;
}

function nearestMark(viewport: Viewport, x: number, y: number, without: string | null): Catch | null {
  const { kept, study } = useStudy.getState();
  const { isolated } = useView.getState();
  let best: Catch | null = null;
  let least = REACH;
  const offer = (px: number, py: number, pz: number, found: () => Omit<Catch, 'at'>) => {
    const s = viewport.view.project([px, py, pz]);
    const away = Math.hypot(s.x - x, s.y - y);
    if (away >= least) return;
    least = away;
    best = { at: new Vector3(px, py, pz), ...found() };
  };
  for (const [id, shape] of kept.shapes) {
    const feature = study?.features.find((f) => f.id === stepOf(id));
    if (id === without || (feature && !isShown(feature, isolated))) continue;
    for (const { name, points } of shape.edges) {
      const n = points.length;
      if (n < 6) continue;
      const end = (which: 0 | 1) => () => ({ words: `${which ? 'end' : 'start'} of ${featureName(id)}`, feature: id, edge: name, end: which });
      offer(points[0] ?? 0, points[1] ?? 0, points[2] ?? 0, end(0));
      offer(points[n - 3] ?? 0, points[n - 2] ?? 0, points[n - 1] ?? 0, end(1));
    }
    if (!isCurve(shape)) continue;
    const { points } = shape.object.cvs;
    for (let i = 0; i + 2 < points.length; i += 3)
      offer(points[i] ?? 0, points[i + 1] ?? 0, points[i + 2] ?? 0, () => ({ words: `CV ${i / 3 + 1} of ${featureName(id)}`, feature: id, cv: i / 3 }));
  }
  return best;
}
