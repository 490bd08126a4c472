import { Vector3 } from 'three';

import type { Op } from '../api/types';
import { commit, endPreview, preview } from '../state/session';
import { useStudy, type Shape } from '../state/study';
import { useTools, type Cv, type DragMode } from '../state/tools';
import type { Viewport } from './viewport';

const AXES: Partial<Record<DragMode, Vector3>> = {
  x: new Vector3(1, 0, 0),
  y: new Vector3(0, 1, 0),
  z: new Vector3(0, 0, 1),
};

export const cvPoint = ({ object }: Shape, [i, j]: Cv): Vector3 => {
  const k = (i * object.cvs.count[1] + j) * 3;
  const p = object.cvs.points;
  return new Vector3(p[k], p[k + 1], p[k + 2]);
};

/** Direction along which a CV moves, or null for free movement in the plane of the screen. */
export function dragDirection(shape: Shape, cv: Cv, mode: DragMode): Vector3 | null {
  if (mode === 'view') return null;
  const axis = AXES[mode];
  if (axis) return axis;
  if (mode === 'normal') return nearestNormal(shape, cvPoint(shape, cv));
  const [rows, columns] = shape.object.cvs.count;
  const [i, j] = cv;
  const next: Cv = mode === 'leg_u' ? [i + 1 < rows ? i + 1 : i - 1, j] : [i, j + 1 < columns ? j + 1 : j - 1];
  return cvPoint(shape, next).sub(cvPoint(shape, cv)).normalize();
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

export const moveOp = (id: string, moved: readonly { cv: Cv; to: Vector3 }[]): Op => ({
  op: 'move_cvs',
  id,
  cvs: moved.map(({ cv, to }) => ({ i: cv[0], j: cv[1], to: [to.x, to.y, to.z] })),
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

/** Drag the picked CVs of a face until the pointer is released; Shift is fine movement, Esc gives up. */
export function dragCvs(viewport: Viewport, id: string, grabbed: Cv, start: PointerEvent): void {
  const shape = useStudy.getState().kept.shapes.get(id);
  const { selection, dragMode } = useTools.getState();
  if (!shape || shape.object.trimmed) return;
  const together = selection?.kind === 'cvs' && selection.id === id ? selection.cvs : [grabbed];
  const from = together.map((cv) => ({ cv, at: cvPoint(shape, cv) }));
  const grabbedAt = cvPoint(shape, grabbed);
  const direction = dragDirection(shape, grabbed, dragMode);
  const total = new Vector3();
  let last = { x: start.clientX, y: start.clientY };
  let moved = false;

  const targets = () => from.map(({ cv, at }) => ({ cv, to: at.clone().add(total) }));
  followPointer({
    move(e) {
      const fine = e.shiftKey ? 0.1 : 1;
      total.add(travel(viewport, grabbedAt, direction, (e.clientX - last.x) * fine, (e.clientY - last.y) * fine));
      last = { x: e.clientX, y: e.clientY };
      moved ||= total.length() > 0;
      if (moved) preview(moveOp(id, targets()));
    },
    done() {
      if (moved) void commit(moveOp(id, targets()));
    },
    givenUp: endPreview,
  });
}

/** Where the browser tells of the pointer's way at once rather than once a frame, the kernel hears of it at once too. */
const MOVED = 'onpointerrawupdate' in window ? 'pointerrawupdate' : 'pointermove';

/** Follow the pointer wherever it goes until it is released or Esc is pressed. */
export function followPointer(on: { move(e: PointerEvent): void; done(): void; givenUp(): void }): void {
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
    if (e.key !== 'Escape') return;
    e.stopPropagation();
    stop();
    on.givenUp();
  };
  window.addEventListener(MOVED, move);
  window.addEventListener('pointerup', up);
  window.addEventListener('keydown', key, true);
}
