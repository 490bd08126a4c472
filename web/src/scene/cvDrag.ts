import { Vector3 } from 'three';

import type { Op, PlaceRef } from '../api/types';
import { newId } from '../state/drafts';
import { commit, endPreview, preview } from '../state/session';
import { isCurve, useStudy, type Shape } from '../state/study';
import { setCaught, useTools, type Cv, type DragMode } from '../state/tools';
import { useView } from '../state/view';
import { catchAt, catches, settled, type Catch } from './catching';
import { heldEnd } from './heldEnd';
import { cvPoint } from './cvPoint';
import { dropped, onPlane, planeOfStep } from './plane';
import { offsetOp, offsetPull } from './polygonDrag';
import type { Viewport } from './viewport';

const AXES: Partial<Record<DragMode, Vector3>> = {
  x: new Vector3(1, 0, 0),
  y: new Vector3(0, 1, 0),
  z: new Vector3(0, 0, 1),
};

/** Direction along which a CV moves, or null for movement in the plane of the screen or the working plane. */
export function dragDirection(shape: Shape, cv: Cv, mode: DragMode): Vector3 | null {
  if (mode === 'view' || mode === 'plane') return null;
  const axis = AXES[mode];
  if (axis) return axis;
  if (mode === 'offset') return offsetPull(shape, cv)?.direction ?? null;
  if (mode === 'plane_x' || mode === 'plane_y') {
    const { step } = useView.getState().plane;
    const own = step ? planeOfStep(step) : null;
    return (mode === 'plane_x' ? own?.x : own?.y) ?? null;
  }
  if (mode === 'normal') return isCurve(shape) ? polygonNormal(shape, cv) : nearestNormal(shape, cvPoint(shape, cv));
  const [rows, columns] = shape.object.cvs.count;
  const [i, j] = cv;
  const next: Cv = mode === 'leg_u' ? [i + 1 < rows ? i + 1 : i - 1, j] : [i, j + 1 < columns ? j + 1 : j - 1];
  return cvPoint(shape, next).sub(cvPoint(shape, cv)).normalize();
}

/** Direction in which the control polygon of a curve bends at a CV; at an end, square to the first leg in its plane. */
function polygonNormal(shape: Shape, [i]: Cv): Vector3 {
  const last = shape.object.cvs.count[0] - 1;
  const middle = Math.min(Math.max(i, 1), Math.max(1, last - 1));
  const [a, b, c] = [middle - 1, middle, Math.min(last, middle + 1)].map((k) => cvPoint(shape, [k, 0])) as [Vector3, Vector3, Vector3];
  const before = a.clone().sub(b).normalize();
  const after = c.clone().sub(b).normalize();
  const bend = before.clone().add(after);
  if (bend.length() < 1e-6) bend.crossVectors(before, Math.abs(before.z) < 0.9 ? AXES.z ?? before : AXES.x ?? before);
  if (i === middle) return bend.normalize();
  const leg = i === 0 ? before : after;
  return bend.addScaledVector(leg, -bend.dot(leg)).normalize();
}

/** How far a CV follows one that is dragged: 1 at it, falling smoothly to 0 at the radius. */
export function falloffWeight(distance: number, radius: number): number {
  if (radius <= 0 || distance >= radius) return 0;
  return (1 - (distance / radius) ** 2) ** 2;
}

/** All CVs that move, with the share of the movement that each takes. */
function followers(shape: Shape, held: readonly Cv[], radius: number): { cv: Cv; at: Vector3; share: number }[] {
  const picked = held.map((cv) => ({ cv, at: cvPoint(shape, cv), share: 1 }));
  if (radius <= 0) return picked;
  const out = [...picked];
  const [rows, columns] = shape.object.cvs.count;
  for (let i = 0; i < rows; i++)
    for (let j = 0; j < columns; j++) {
      if (held.some((c) => c[0] === i && c[1] === j)) continue;
      const at = cvPoint(shape, [i, j]);
      const share = falloffWeight(Math.min(...picked.map((p) => p.at.distanceTo(at))), radius);
      if (share > 0) out.push({ cv: [i, j], at, share });
    }
  return out;
}

/** Exact normal of the surface at the display point nearest to a place. */
function nearestNormal({ vertices }: Shape, place: Vector3): Vector3 {
  let best = 0;
  let least = Infinity;
  for (let o = 0; o < vertices.length; o += 10) {
    const away =
      ((vertices[o] ?? 0) - place.x) ** 2 + ((vertices[o + 1] ?? 0) - place.y) ** 2 + ((vertices[o + 2] ?? 0) - place.z) ** 2;
    if (away < least) {
      least = away;
      best = o;
    }
  }
  return new Vector3(vertices[best + 3], vertices[best + 4], vertices[best + 5]);
}

/** Move CVs of an object. step: id of the step that is made where the object's own step does not draw it by its CVs. */
export const moveOp = (id: string, moved: readonly { cv: Cv; to: Vector3 }[], step: string, on: PlaceRef | null = null): Op => ({
  op: 'move_cvs',
  id,
  step,
  mirror: useTools.getState().mirror,
  cvs: moved.map(({ cv, to }) => ({ i: cv[0], j: cv[1], to: [to.x, to.y, to.z], on, freed: false })),
});

/** Movement of the pointer, turned into millimetres in space. */
export function travel(viewport: Viewport, from: Vector3, direction: Vector3 | null, dx: number, dy: number): Vector3 {
  const { view } = viewport;
  const mm = view.millimetresPerPixel;
  if (!direction) return view.right.multiplyScalar(dx * mm).addScaledVector(view.up, -dy * mm);
  const a = view.project(from.toArray());
  const b = view.project(from.clone().add(direction).toArray());
  const [px, py] = [b.x - a.x, b.y - a.y];
  const square = px * px + py * py;
  // Seen end on, a direction has no length on the screen: then nothing moves rather than everything.
  if (square < (0.05 / mm) ** 2) return new Vector3();
  return direction.clone().multiplyScalar((dx * px + dy * py) / square);
}

/** Movement of the pointer as a step in the working plane; none where that is seen on edge. */
function planeTravel(viewport: Viewport, dx: number, dy: number): Vector3 {
  const { width, height } = viewport.view;
  const a = onPlane(viewport, width / 2, height / 2);
  const b = onPlane(viewport, width / 2 + dx, height / 2 + dy);
  return a && b ? b.sub(a) : new Vector3();
}

/** How often, in ms, a drag looks for something to catch: a fast mouse tells of its way far more often. */
const LOOK_EVERY = 15;

/** Drag the picked CVs of a face or curve until the pointer is released; Shift is fine movement, Esc gives up. */
export function dragCvs(viewport: Viewport, id: string, grabbed: Cv, start: PointerEvent): void {
  const shape = useStudy.getState().kept.shapes.get(id);
  const { selection, dragMode, falloff } = useTools.getState();
  if (!shape) return;
  const together = selection?.kind === 'cvs' && selection.id === id ? selection.cvs : [grabbed];
  const from = followers(shape, together, falloff);
  const step = newId();
  const grabbedAt = cvPoint(shape, grabbed);
  const direction = dragDirection(shape, grabbed, dragMode);
  const total = new Vector3();
  let last = { x: start.clientX, y: start.clientY };
  let moved = false;
  let caught: Catch | null = null;
  let free = false;
  let looked = 0;
  let waiting: ReturnType<typeof setTimeout> | undefined;
  // A CV that moves freely alone is caught as a placed point is; along a line or with others it is not.
  const mayCatch = together.length === 1 && (dragMode === 'view' || dragMode === 'plane');

  const pull = dragMode === 'offset' ? offsetPull(shape, grabbed) : null;
  const moveBy = (by: Vector3): Op => (pull ? offsetOp(id, by.dot(pull.direction) * pull.share) : moveOp(id, targets(by), step));
  const targets = (by: Vector3) => from.map(({ cv, at, share }) => ({ cv, to: at.clone().addScaledVector(by, share) }));
  const held = (at: Vector3) => (dragMode === 'plane' ? dropped(viewport, at) : at.clone()).sub(grabbedAt);
  const show = () => moved && preview(moveBy(caught ? held(caught.at) : total));
  const letGo = () => {
    clearTimeout(waiting);
    setCaught(null);
  };
  const look = () => {
    looked = performance.now();
    const box = viewport.host.getBoundingClientRect();
    caught = mayCatch && moved && !free ? catchAt(viewport, last.x - box.left, last.y - box.top, id) : null;
    setCaught(caught ? { words: caught.words, at: [caught.at.x, caught.at.y, caught.at.z] } : null);
  };
  followPointer({
    move(e) {
      const fine = e.shiftKey ? 0.1 : 1;
      const [dx, dy] = [(e.clientX - last.x) * fine, (e.clientY - last.y) * fine];
      total.add(dragMode === 'plane' ? planeTravel(viewport, dx, dy) : travel(viewport, grabbedAt, direction, dx, dy));
      last = { x: e.clientX, y: e.clientY };
      moved ||= total.length() > 0;
      free = !catches(e.altKey) || e.shiftKey;
      clearTimeout(waiting);
      if (performance.now() - looked > LOOK_EVERY) look();
      // Where the pointer comes to rest is looked at too, though no further move tells of it.
      else waiting = setTimeout(() => (look(), show()), LOOK_EVERY);
      show();
    },
    done() {
      look();
      letGo();
      if (!moved) return;
      if (!caught) {
        void commit(moveBy(total));
        return;
      }
      const at = caught.at;
      void settled(viewport, { point: [at.x, at.y, at.z], caught }).then(({ point, hangsOn }) => commit(moveOp(id, targets(held(new Vector3(...point))), step, isCurve(shape) ? hangsOn : null)));
    },
    key: (e) => heldEnd(shape, grabbed, e.key),
    givenUp() {
      letGo();
      endPreview();
    },
  });
}

/** Where the browser tells of the pointer's way at once rather than once a frame, the kernel hears of it at once too. */
const MOVED = 'onpointerrawupdate' in window ? 'pointerrawupdate' : 'pointermove';

/** Follow the pointer wherever it goes until it is released, or given up by Esc or undo. key: what another key does meanwhile. */
export function followPointer(on: { move(e: PointerEvent): void; done(): void; givenUp(): void; key?(e: KeyboardEvent): boolean }): void {
  useTools.setState({ dragging: true });
  const move = (e: Event) => on.move(e as PointerEvent);
  const stop = () => {
    window.removeEventListener(MOVED, move);
    window.removeEventListener('pointerup', up);
    window.removeEventListener('keydown', key, true);
    useTools.setState({ dragging: false });
  };
  const up = () => {
    stop();
    on.done();
  };
  const key = (e: KeyboardEvent) => {
    if (on.key?.(e)) {
      e.stopPropagation();
      return;
    }
    if (e.key !== 'Escape' && !((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === 'z')) return;
    e.stopPropagation();
    e.preventDefault();
    stop();
    on.givenUp();
  };
  window.addEventListener(MOVED, move);
  window.addEventListener('pointerup', up);
  window.addEventListener('keydown', key, true);
}
