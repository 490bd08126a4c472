import { Vector3 } from 'three';

import type { FrameHandle, Params, Point } from '../../api/types';
import { followPointer, travel } from '../../scene/cvDrag';
import type { Viewport } from '../../scene/viewport';
import { fieldsOf, isRef } from '../../state/catalog';
import { changeParams } from '../../state/drafts';
import { endPreview } from '../../state/session';
import { featureName, useStudy } from '../../state/study';
import { draftOf, useTools } from '../../state/tools';
import { small } from '../figures';
import { WayHandle } from './WayHandle';

type Value = number | Point;

/** Handles of the step in work or picked, where its numbers act. */
export function HandleOverlay({ viewport }: { viewport: Viewport }) {
  const selection = useTools((s) => s.selection);
  const draft = useTools(draftOf);
  const id = draft?.id ?? (selection?.kind === 'feature' ? selection.id : null);
  const feature = useStudy((s) => (id ? s.shown.features.get(id) : undefined));
  const stored = useStudy((s) => s.study?.features.find((f) => f.id === id));
  const params = draft?.params ?? stored?.params;
  if (!id || !feature || !params) return null;
  const fields = fieldsOf(draft?.kind ?? stored?.kind);
  return feature.handles.map((h) => {
    const field = fields.find((f) => f.name === h.field);
    const side: unknown = params[h.side];
    const label = `${h.label} handle${isRef(side) ? `, ${featureName(side.feature)} side` : ''}`;
    if (h.form === 'way') return <WayHandle key={`way${h.field}${h.index}`} viewport={viewport} handle={h} label={h.label} turn={() => changeParams(id, turned(params, field?.fallback, h), true)} />;
    const set = (value: Value, final: boolean) => {
      if (h.along.length && Array.isArray(value)) {
        const by = value.map((v, i) => v - (h.point[i] ?? 0));
        const moved = [h.field, ...h.along].map((name) => [name, (params[name] as Point).map((v, i) => v + (by[i] ?? 0))]);
        changeParams(id, Object.fromEntries(moved) as Params, final);
        return;
      }
      changeParams(id, placed(params, field?.fallback, h, value), final);
    };
    return <Handle key={`${h.form}${h.field}${h.index}${h.label}`} viewport={viewport} handle={h} label={label} set={set} draft={draft !== null} />;
  });
}

/** The parameter that a handle changes, with its new value: a field, a row of it (`field.row`), or an entry of either. */
function placed(params: Params, fallback: unknown, { field, index }: FrameHandle, value: Value): Params {
  const [name = field, ...rows] = field.split('.');
  const path = [...rows.map(Number), ...(index < 0 ? [] : [index])];
  return { [name]: withEntry(params[name] ?? fallback, path, value) };
}

function withEntry(now: unknown, [at, ...rest]: number[], value: Value): unknown {
  if (at === undefined) return value;
  const out: unknown[] = Array.isArray(now) ? [...(now as unknown[])] : [];
  while (out.length <= at) out.push(rest.length ? [] : null);
  out[at] = withEntry(out[at], rest, value);
  return out;
}

/** The parameter with the way of one line turned: a switch, or the list of those that are turned. */
function turned(params: Params, fallback: unknown, { field, index }: FrameHandle): Params {
  const now = params[field] ?? fallback;
  if (index < 0) return { [field]: now !== true };
  const list = (now as number[] | undefined) ?? [];
  return { [field]: list.includes(index) ? list.filter((n) => n !== index) : [...list, index].sort((a, b) => a - b) };
}

interface HandleProps {
  viewport: Viewport;
  handle: FrameHandle;
  label: string;
  draft: boolean;
  set(value: Value, final: boolean): void;
}

const vector = (p: Point): Vector3 => new Vector3(...p);

function Handle({ viewport, handle, label, set, draft }: HandleProps) {
  const { view } = viewport;
  const at = view.project(handle.point);
  const start = (e: React.PointerEvent) => {
    if (e.button !== 0) return;
    e.preventDefault();
    e.stopPropagation();
    if (handle.form === 'way') return;
    const drag = DRAGS[handle.form](viewport, handle);
    const before: Value = handle.form === 'move' ? handle.point : handle.value;
    let value = before;
    let last = { x: e.clientX, y: e.clientY };
    followPointer({
      move(m) {
        const fine = m.shiftKey ? 0.1 : 1;
        value = drag((m.clientX - last.x) * fine, (m.clientY - last.y) * fine);
        last = { x: m.clientX, y: m.clientY };
        set(value, false);
      },
      done: () => value !== before && set(value, true),
      givenUp: () => (draft ? set(before, true) : endPreview()),
    });
  };
  const nudge = (e: React.KeyboardEvent) => {
    const way = { ArrowUp: [0, 1], ArrowRight: [1, 0], ArrowDown: [0, -1], ArrowLeft: [-1, 0] }[e.key];
    if (!way) return;
    e.preventDefault();
    set(nudged(viewport, handle, way as [number, number], e.shiftKey ? 0.1 : 1), true);
  };
  const words = handle.form === 'move' ? `${handle.point.map((v) => (Math.abs(v) < 0.005 ? 0 : v).toFixed(2)).join(', ')} mm` : `${small(handle.value)}${handle.unit === '°' ? '' : ' '}${handle.unit}`.trim();
  return (
    <>
      <svg>
        <Trail viewport={viewport} handle={handle} />
      </svg>
      <button
        className={`handle ${handle.form}`}
        style={{ left: at.x, top: at.y }}
        role="slider"
        aria-label={label}
        aria-valuenow={Number(handle.value.toFixed(3))}
        aria-valuemin={handle.low}
        aria-valuemax={handle.high}
        aria-valuetext={words}
        title={`${label}: ${words}. Drag it; Shift is fine. Arrow keys move it too.`}
        onPointerDown={start}
        onKeyDown={nudge}
      />
      <span className="handle-value" aria-hidden="true" style={{ left: at.x + 16, top: at.y - 9 }}>
        {words}
      </span>
    </>
  );
}

/** What a handle moves along. */
function Trail({ viewport, handle }: { viewport: Viewport; handle: FrameHandle }) {
  const { view } = viewport;
  const line = { fill: 'none', stroke: 'var(--accent)', strokeWidth: 2 };
  const path = (points: readonly Point[]) => points.map(view.project.bind(view)).map((p, i) => `${i ? 'L' : 'M'}${p.x.toFixed(1)},${p.y.toFixed(1)}`).join('');
  switch (handle.form) {
    case 'pull': {
      const root = vector(handle.point).addScaledVector(vector(handle.direction), -handle.value / Math.max(1e-9, handle.per_mm));
      const p = view.project(root.toArray());
      return (
        <>
          <path d={path([root.toArray(), handle.point])} {...line} />
          <circle cx={p.x} cy={p.y} r="3" fill="var(--accent)" />
        </>
      );
    }
    case 'slide':
      return <path d={path(handle.line ?? [])} {...line} strokeDasharray="5 4" />;
    case 'turn': {
      const [centre, axis] = [vector(handle.centre ?? handle.point), vector(handle.direction)];
      const arm = vector(handle.point).sub(centre);
      const round = Array.from({ length: 49 }, (_, i) => arm.clone().applyAxisAngle(axis, (i / 24 - 1) * 0.25 * Math.PI).add(centre).toArray());
      return <path d={path(round)} {...line} />;
    }
    case 'move':
    case 'way':
      return null;
  }
}

const within = (h: FrameHandle, value: number): number => Math.min(h.high, Math.max(h.low, value));

/** How a movement of the pointer, in pixels, changes what a handle holds; one for each form, for one drag. */
const DRAGS: Record<Exclude<FrameHandle['form'], 'way'>, (viewport: Viewport, h: FrameHandle) => (dx: number, dy: number) => Value> = {
  pull(viewport, h) {
    const direction = vector(h.direction);
    let value = h.value;
    return (dx, dy) => (value = within(h, value + travel(viewport, vector(h.point), direction, dx, dy).dot(direction) * h.per_mm));
  },
  slide(viewport, h) {
    const points = (h.line ?? []).map((p) => viewport.view.project(p));
    const pointer = viewport.view.project(h.point);
    const place = { x: pointer.x, y: pointer.y };
    return (dx, dy) => {
      place.x += dx;
      place.y += dy;
      return within(h, h.low + nearestShare(points, place) * (h.high - h.low));
    };
  },
  move(viewport, h) {
    const at = vector(h.point);
    const normal = vector(h.direction);
    return (dx, dy) => {
      const by = travel(viewport, at, null, dx, dy);
      // Along the line of sight, as far as it takes to stay in the plane.
      const sight = viewport.view.toEye;
      const facing = sight.dot(normal);
      if (Math.abs(facing) > 0.05) by.addScaledVector(sight, -by.dot(normal) / facing);
      else by.addScaledVector(normal, -by.dot(normal));
      return at.add(by).toArray();
    };
  },
  turn(viewport, h) {
    const [centre, axis] = [vector(h.centre ?? h.point), vector(h.direction)];
    const hub = viewport.view.project(centre.toArray());
    const grip = viewport.view.project(h.point);
    const place = { x: grip.x, y: grip.y };
    const sense = axis.dot(viewport.view.toEye) < 0 ? 1 : -1;
    let value = h.value;
    return (dx, dy) => {
      const angle = () => Math.atan2(place.y - hub.y, place.x - hub.x);
      const before = angle();
      place.x += dx;
      place.y += dy;
      const by = Math.atan2(Math.sin(angle() - before), Math.cos(angle() - before));
      return (value = within(h, value + (sense * by * 180) / Math.PI));
    };
  },
};

/** Share of the way along a drawn line at which it comes nearest to a place; its points are at even shares. */
export function nearestShare(points: readonly { x: number; y: number }[], place: { x: number; y: number }): number {
  let best = 0;
  let least = Infinity;
  for (let i = 0; i + 1 < points.length; i++) {
    const [a, b] = [points[i], points[i + 1]];
    if (!a || !b) continue;
    const [lx, ly] = [b.x - a.x, b.y - a.y];
    const w = Math.min(1, Math.max(0, ((place.x - a.x) * lx + (place.y - a.y) * ly) / Math.max(1e-9, lx * lx + ly * ly)));
    const away = (place.x - a.x - w * lx) ** 2 + (place.y - a.y - w * ly) ** 2;
    if (away < least) {
      least = away;
      best = (i + w) / (points.length - 1);
    }
  }
  return best;
}

/** What a handle holds after an arrow key: a hundredth of a range that is known, a millimetre or a degree where not. */
function nudged({ view }: Viewport, h: FrameHandle, [x, y]: [number, number], share: number): Value {
  if (h.form === 'move') return vector(h.point).addScaledVector(view.right, x * share).addScaledVector(view.up, y * share).toArray();
  const range = h.high - h.low;
  const step = range <= 10 ? range / 80 : 1;
  return within(h, h.value + (x + y) * step * share);
}
