import { dragCvs, dragDirection, moveOp } from '../../scene/cvDrag';
import { cvPoint } from '../../scene/cvPoint';
import type { Viewport } from '../../scene/viewport';
import { isShown } from '../../state/actions';
import { newId } from '../../state/drafts';
import { isPlaceRef, placePoint, wanted } from '../../state/placing';
import { relationsOf } from '../../state/relations';
import { commit } from '../../state/session';
import { featureName, isCurve, stepOf, useStudy, type Shape } from '../../state/study';
import { useTools, type Cv } from '../../state/tools';
import { useView } from '../../state/view';

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

/** More CVs than this are not shown: nobody could pick one. */
const MOST = 900;

/** Control polygons and CVs of the faces that show them. */
export function CvOverlay({ viewport }: { viewport: Viewport }) {
  const cvsOf = useTools((s) => s.cvsOf);
  // Every change of shape ends in a drawing, and every drawing renders the overlays: no listening of their own.
  const { shown, study } = useStudy.getState();
  const isolated = useView((s) => s.isolated);
  return cvsOf.map((id) => {
    const shape = shown.shapes.get(id);
    const feature = study?.features.find((f) => f.id === stepOf(id));
    return shape && feature && isShown(feature, isolated) ? <Net key={id} viewport={viewport} shape={shape} /> : null;
  });
}

/** Pick a CV of another curve beside those that are picked, or let go of it: to relate them. */
function pickWith(id: string, cv: number): void {
  const { selection } = useTools.getState();
  if (selection?.kind !== 'cvs') return;
  const others = selection.others ?? [];
  const rest = others.filter((o) => o.id !== id || o.cv !== cv);
  useTools.setState({ selection: { ...selection, others: rest.length < others.length ? rest : [...others, { id, cv }] } });
}

function Net({ viewport, shape }: { viewport: Viewport; shape: Shape }) {
  const { selection, dragMode } = useTools();
  const [rows, columns] = shape.object.cvs.count;
  if (rows * columns > MOST)
    return (
      <div className="tag" style={{ left: 252, top: 140 }}>
        {featureName(shape.id)} has {rows * columns} CVs, more than the {MOST} that can be shown.
      </div>
    );
  const spots: { cv: Cv; x: number; y: number }[][] = [];
  for (let i = 0; i < rows; i++) {
    spots.push([]);
    for (let j = 0; j < columns; j++) {
      const cv: Cv = [i, j];
      spots[i]?.push({ cv, ...viewport.view.project(cvPoint(shape, cv).toArray()) });
    }
  }
  const chain = (line: ({ x: number; y: number } | undefined)[]) =>
    line.map((p, k) => (p ? `${k ? 'L' : 'M'}${p.x.toFixed(1)},${p.y.toFixed(1)}` : '')).join('');
  const legs = spots.map(chain).join('') + Array.from({ length: columns }, (_, j) => chain(spots.map((r) => r[j]))).join('');
  const picked = selection?.kind === 'cvs' && selection.id === shape.id ? selection.cvs : [];
  const beside = selection?.kind === 'cvs' ? (selection.others ?? []) : [];
  const isPicked = (cv: Cv) => picked.some((p) => p[0] === cv[0] && p[1] === cv[1]) || beside.some((o) => o.id === shape.id && o.cv === cv[0]);
  const hanging = hangingCvs(shape);
  const first = picked[0];
  const name = featureName(shape.id);
  const isFirst = (cv: Cv) => (first ? first[0] === cv[0] && first[1] === cv[1] : cv[0] === 0 && cv[1] === 0);
  const keys = (e: React.KeyboardEvent<HTMLElement>, cv: Cv) => {
    const way = ARROWS[e.key];
    if (e.key === ' ' || e.key === 'Enter') {
      const others = picked.filter((p) => p[0] !== cv[0] || p[1] !== cv[1]);
      const cvs = e.shiftKey ? (isPicked(cv) ? others : [...others, cv]) : [cv];
      useTools.setState({ selection: cvs.length ? { kind: 'cvs', id: shape.id, cvs } : { kind: 'feature', id: shape.id } });
    } else if (way && e.ctrlKey) {
      nudgeCvs(viewport, shape, picked.length ? picked : [cv], way, e.shiftKey ? 0.1 : 1);
    } else if (way) {
      const next = spots[cv[0] + (columns > 1 ? -way[1] : way[0] - way[1])]?.[cv[1] + (columns > 1 ? way[0] : 0)];
      const button = next && e.currentTarget.parentElement?.querySelector<HTMLElement>(`[data-cv="${shape.id} ${next.cv.join()}"]`);
      button?.focus();
    } else return;
    e.preventDefault();
    e.stopPropagation();
  };

  return (
    <>
      <svg>
        <path d={legs} fill="none" stroke="var(--ink)" strokeWidth="0.8" strokeOpacity="0.5" />
        {first && <DragLine viewport={viewport} shape={shape} cv={first} key={dragMode} />}
      </svg>
      {spots.flat().map(({ cv, x, y }) => (
        <button
          key={cv.join()}
          className={hanging(cv) ? 'cv hanging' : 'cv'}
          style={{ left: x, top: y }}
          tabIndex={isFirst(cv) ? 0 : -1}
          data-cv={`${shape.id} ${cv.join()}`}
          onKeyDown={(e) => keys(e, cv)}
          aria-label={`${cvName(shape, cv)} of ${name}`}
          aria-pressed={isPicked(cv)}
          onPointerDown={(e) => {
            if (e.button !== 0) return;
            e.stopPropagation();
            if (wanted() === 'point') {
              // While a tool asks for a point, a CV is a place to put it, and stays where it is.
              placePoint(cvPoint(shape, cv).toArray(), isCurve(shape) ? { feature: shape.id, cv: cv[0] } : null);
              return;
            }
            if (e.shiftKey && selection?.kind === 'cvs' && selection.id !== shape.id && isCurve(shape)) {
              pickWith(shape.id, cv[0]);
              return;
            }
            const others = e.shiftKey ? picked.filter((p) => p[0] !== cv[0] || p[1] !== cv[1]) : [];
            const dropped = e.shiftKey && isPicked(cv);
            const cvs = isPicked(cv) && !e.shiftKey ? picked : dropped ? others : [...others, cv];
            useTools.setState({ selection: cvs.length ? { kind: 'cvs', id: shape.id, cvs } : { kind: 'feature', id: shape.id } });
            if (!dropped) dragCvs(viewport, shape.id, cv, e.nativeEvent);
          }}
        />
      ))}
    </>
  );
}

/** Which CVs or points of a curve follow something else. */
function hangingCvs(shape: Shape): (cv: Cv) => boolean {
  const params = useStudy.getState().study?.features.find((f) => f.id === shape.id)?.params;
  const points = params?.points;
  if (!isCurve(shape) || !params) return () => false;
  const bound = new Set(relationsOf(params).filter((r) => r.kind === 'coincident' && r.cvs.some((c) => typeof c === 'object')).flatMap((r) => r.cvs));
  return ([i]) => bound.has(i) || (Array.isArray(points) && isPlaceRef(points[i]));
}

/** The line that a drag follows. */
function DragLine({ viewport, shape, cv }: { viewport: Viewport; shape: Shape; cv: Cv }) {
  const direction = dragDirection(shape, cv, useTools.getState().dragMode);
  if (!direction) return null;
  const at = cvPoint(shape, cv);
  const reach = 60 * viewport.view.millimetresPerPixel;
  const a = viewport.view.project(at.clone().addScaledVector(direction, -reach).toArray());
  const b = viewport.view.project(at.clone().addScaledVector(direction, reach).toArray());
  return <line x1={a.x} y1={a.y} x2={b.x} y2={b.y} stroke="var(--accent)" strokeWidth="1.6" />;
}
