import { memo, useLayoutEffect, useRef } from 'react';

import type { Params } from '../../api/types';
import { dragCvs, dragDirection, moveOp } from '../../scene/cvDrag';
import { cvPoint } from '../../scene/cvPoint';
import type { Viewport } from '../../scene/viewport';
import { newId } from '../../state/drafts';
import { isPlaceRef, placePoint, wanted } from '../../state/placing';
import { relationsOf } from '../../state/relations';
import { commit } from '../../state/session';
import { featureName, isCurve, useStudy, type Shape } from '../../state/study';
import { useTools, type Cv } from '../../state/tools';

/** A CV by its place: one number on a curve, row and column on a face; a point on a curve through points. */
export function cvName(shape: Shape, [i, j]: Cv): string {
  if (!isCurve(shape)) return `CV ${i + 1}, ${j + 1}`;
  return `${shape.object.cvs.through ? 'Point' : 'CV'} ${i + 1}`;
}

const ARROWS: Record<string, [number, number]> = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] };

/** Move CVs by an arrow key: in the view, or along the direction that a drag would keep to. */
function nudgeCvs(viewport: Viewport, shape: Shape, cvs: readonly Cv[], [x, y]: [number, number], mm: number): void {
  const grabbed = cvs[0];
  if (!grabbed) return;
  const direction = dragDirection(shape, grabbed, useTools.getState().dragMode);
  const { view } = viewport;
  const by = direction ? direction.clone().multiplyScalar((x + y) * mm) : view.right.multiplyScalar(x * mm).addScaledVector(view.up, y * mm);
  void commit(moveOp(shape.id, cvs.map((cv) => ({ cv, to: cvPoint(shape, cv).add(by) })), newId()));
}

/** Pick a CV of another curve beside those that are picked, or let go of it: to relate them. */
function pickWith(id: string, cv: number): void {
  const { selection } = useTools.getState();
  if (selection?.kind !== 'cvs') return;
  const others = selection.others ?? [];
  const rest = others.filter((o) => o.id !== id || o.cv !== cv);
  useTools.setState({ selection: { ...selection, others: rest.length < others.length ? rest : [...others, { id, cv }] } });
}

const shapeOf = (id: string): Shape | undefined => useStudy.getState().shown.shapes.get(id);
const same = (a: Cv, b: Cv): boolean => a[0] === b[0] && a[1] === b[1];

interface NetProps {
  viewport: Viewport;
  id: string;
  rows: number;
  columns: number;
}

/**
 * The control polygon and the CVs of one shape. What they are is drawn anew only when it changes; where they lie follows
 * every drawing by itself, so that a net of hundreds turns with the part.
 */
export const CvNet = memo(function CvNet({ viewport, id, rows, columns }: NetProps) {
  const net = useRef<HTMLDivElement>(null);
  const legs = useRef<SVGPathElement>(null);
  const selection = useTools((s) => s.selection);
  const params = useStudy((s) => s.study?.features.find((f) => f.id === id)?.params);
  const name = useStudy((s) => s.study && featureName(id));
  const picked = selection?.kind === 'cvs' && selection.id === id ? selection.cvs : [];
  const beside = selection?.kind === 'cvs' ? (selection.others ?? []) : [];
  const isPicked = (cv: Cv) => picked.some((p) => same(p, cv)) || beside.some((o) => o.id === id && o.cv === cv[0]);

  useLayoutEffect(() => {
    const place = () => {
      const points = shapeOf(id)?.object.cvs.points;
      if (!net.current || points?.length !== 3 * rows * columns) return;
      const [a, b, c, d, e, f, g, h] = viewport.view.affine as [number, number, number, number, number, number, number, number];
      const spots: string[] = [];
      for (let k = 0; k < points.length; k += 3) {
        const [x, y, z] = [points[k] as number, points[k + 1] as number, points[k + 2] as number];
        spots.push(`${(a * x + b * y + c * z + d).toFixed(1)},${(e * x + f * y + g * z + h).toFixed(1)}`);
      }
      const children = net.current.children;
      spots.forEach((spot, k) => ((children[k] as HTMLElement).style.translate = `${spot.replace(',', 'px ')}px`));
      const line = (step: number, first: number, count: number) => `M${Array.from({ length: count }, (_, k) => spots[first + k * step]).join('L')}`;
      const along = Array.from({ length: rows }, (_, i) => line(1, i * columns, columns));
      const across = Array.from({ length: columns }, (_, j) => line(columns, j, rows));
      legs.current?.setAttribute('d', [...(columns > 1 ? along : []), ...(rows > 1 ? across : [])].join(''));
    };
    place();
    return viewport.onDrawn(place);
  }, [viewport, id, rows, columns]);

  const shape = shapeOf(id);
  if (!shape) return null;
  const hanging = hangingCvs(shape, params);
  const cvAt = (target: EventTarget): Cv | null => {
    const k = Number((target as HTMLElement).dataset.at ?? NaN);
    return Number.isNaN(k) ? null : [Math.floor(k / columns), k % columns];
  };
  const select = (cvs: readonly Cv[]) => useTools.setState({ selection: cvs.length ? { kind: 'cvs', id, cvs } : { kind: 'feature', id } });

  const keys = (e: React.KeyboardEvent) => {
    const cv = cvAt(e.target);
    const now = shapeOf(id);
    const way = ARROWS[e.key];
    if (!cv || !now) return;
    if (e.key === ' ' || e.key === 'Enter') {
      const others = picked.filter((p) => !same(p, cv));
      select(e.shiftKey ? (isPicked(cv) ? others : [...others, cv]) : [cv]);
    } else if (way && e.ctrlKey) {
      nudgeCvs(viewport, now, picked.length ? picked : [cv], way, e.shiftKey ? 0.1 : 1);
    } else if (way) {
      const [i, j] = [cv[0] + (columns > 1 ? -way[1] : way[0] - way[1]), cv[1] + (columns > 1 ? way[0] : 0)];
      if (i >= 0 && i < rows && j >= 0 && j < columns) (net.current?.children[i * columns + j] as HTMLElement).focus();
    } else return;
    e.preventDefault();
    e.stopPropagation();
  };

  const press = (e: React.PointerEvent) => {
    const cv = cvAt(e.target);
    const now = shapeOf(id);
    if (e.button !== 0 || !cv || !now) return;
    e.stopPropagation();
    if (wanted() === 'point') {
      // While a tool asks for a point, a CV is a place to put it, and stays where it is.
      placePoint(cvPoint(now, cv).toArray(), isCurve(now) ? { feature: id, cv: cv[0] } : null);
      return;
    }
    if (e.shiftKey && selection?.kind === 'cvs' && selection.id !== id && isCurve(now)) {
      pickWith(id, cv[0]);
      return;
    }
    const others = e.shiftKey ? picked.filter((p) => !same(p, cv)) : [];
    const dropped = e.shiftKey && isPicked(cv);
    select(isPicked(cv) && !e.shiftKey ? picked : dropped ? others : [...others, cv]);
    if (!dropped) dragCvs(viewport, id, cv, e.nativeEvent);
  };

  const first = picked[0] ?? [0, 0];
  return (
    <>
      <svg>
        <path ref={legs} fill="none" stroke="var(--ink)" strokeWidth="0.8" strokeOpacity="0.5" />
      </svg>
      <div ref={net} onKeyDown={keys} onPointerDown={press}>
        {Array.from({ length: rows * columns }, (_, k) => {
          const cv: Cv = [Math.floor(k / columns), k % columns];
          return (
            <button
              key={k}
              className={hanging(cv) ? 'cv hanging' : 'cv'}
              tabIndex={same(cv, first) ? 0 : -1}
              data-at={k}
              aria-label={`${cvName(shape, cv)} of ${name}`}
              aria-pressed={isPicked(cv)}
            />
          );
        })}
      </div>
    </>
  );
});

/** Which CVs or points of a curve follow something else. */
function hangingCvs(shape: Shape, params: Params | undefined): (cv: Cv) => boolean {
  const points = params?.points;
  if (!isCurve(shape) || !params) return () => false;
  const bound = new Set(relationsOf(params).filter((r) => r.kind === 'coincident' && r.cvs.some((c) => typeof c === 'object')).flatMap((r) => r.cvs));
  return ([i]) => bound.has(i) || (Array.isArray(points) && isPlaceRef(points[i]));
}
