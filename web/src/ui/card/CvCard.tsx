import { memo } from 'react';

import { moveOp } from '../../scene/cvDrag';
import { cvPoint } from '../../scene/cvPoint';
import { fieldBy, toolOf } from '../../state/catalog';
import { newId } from '../../state/drafts';
import { release } from '../../state/actions';
import { isPlaceRef } from '../../state/placing';
import { relationsOf } from '../../state/relations';
import { refWords } from '../../state/words';
import { commit } from '../../state/session';
import { featureName, isCurve, stepOf, useStudy } from '../../state/study';
import { inTurn } from '../../state/turns';
import { useTools, type Cv, type DragMode } from '../../state/tools';
import { useView } from '../../state/view';
import { cvName } from '../part/CvNet';
import { NumberField } from './NumberField';
import { RelateCvs } from './RelateCvs';
import { ReshapeCvs } from './ReshapeCvs';

const MODES: { value: DragMode; label: string; title: string }[] = [
  { value: 'view', label: 'View', title: 'freely in the plane of the screen' },
  { value: 'plane', label: 'Plane', title: 'in the working plane' },
  { value: 'x', label: 'X', title: 'along the global x axis' },
  { value: 'y', label: 'Y', title: 'along the global y axis' },
  { value: 'z', label: 'Z', title: 'along the global z axis' },
  { value: 'normal', label: 'N', title: 'along the normal of the face, or where the polygon bends' },
  { value: 'plane_x', label: 'x′', title: 'along the x axis of the working plane' },
  { value: 'plane_y', label: 'y′', title: 'along the y axis of the working plane' },
  { value: 'leg_u', label: 'u', title: 'along the polygon leg in u' },
  { value: 'leg_v', label: 'v', title: 'along the polygon leg in v' },
  { value: 'offset', label: '∥', title: 'all legs parallel: the whole polygon is offset' },
];

/** Position of picked CVs, and along what a drag moves them. */
export function CvCard({ id, cvs }: { id: string; cvs: readonly Cv[] }) {
  const shape = useStudy((s) => s.shown.shapes.get(id));
  const maker = useStudy((s) => s.study?.features.find((f) => f.id === stepOf(id))?.kind ?? '');
  const cv = cvs[0];
  if (!shape || !cv) return null;
  const at = cvPoint(shape, cv);
  // CVs laid over a curve through points are not the points that its step changes.
  const kind = toolOf(maker)?.points && !shape.object.cvs.through ? '' : maker;
  const single = cvs.length === 1;
  // Numbers typed one after the other: each starts from where the one before it has put the CVs.
  const set = (axis: 'x' | 'y' | 'z', value: number) =>
    inTurn(async () => {
      const now = useStudy.getState().kept.shapes.get(id);
      if (!now) return;
      const by = value - cvPoint(now, cv)[axis];
      const moved = cvs.map((c) => {
        const to = cvPoint(now, c);
        to[axis] += by;
        return { cv: c, to };
      });
      await commit(moveOp(id, moved, newId()));
    });
  const [rows, columns] = shape.object.cvs.count;
  const along = (fixed: 0 | 1) => {
    const count = fixed === 0 ? columns : rows;
    const lines = [...new Set(cvs.map((c) => c[fixed]))];
    const all = lines.flatMap((n) => Array.from({ length: count }, (_, k): Cv => (fixed === 0 ? [n, k] : [k, n])));
    useTools.setState({ selection: { kind: 'cvs', id, cvs: all } });
  };
  return (
    <section className="paper card" aria-label="Card of the CVs">
      <h2>{single ? cvName(shape, cv) : `${cvs.length} CVs`}</h2>
      <div className="quiet">
        {featureName(id)}
        {single ? '' : '; numbers are the first one’s, all move together'}
      </div>
      <DragAlong curve={isCurve(shape)} drawn={fieldBy(kind, 'cvs') !== undefined} />
      {!isCurve(shape) && (
        <div className="row">
          <span className="quiet">Whole rows</span>
          <span className="chips">
            <button className="chip" title="All CVs beside them along v" onClick={() => along(0)}>
              along v
            </button>
            <button className="chip" title="All CVs beside them along u" onClick={() => along(1)}>
              along u
            </button>
          </span>
        </div>
      )}
      <Hangs id={id} cvs={cvs} />
      <Mirrored />
      <ReshapeCvs id={id} kind={kind} cvs={cvs} />
      {fieldBy(kind, 'relations') && <RelateCvs id={id} cvs={cvs} />}
      {(['x', 'y', 'z'] as const).map((axis) => (
        <div className="row" key={axis}>
          <span className="quiet">{axis.toUpperCase()}</span>
          <NumberField label={axis.toUpperCase()} value={at[axis]} digits={3} unit="mm" width={120} onChange={(v) => set(axis, v)} />
        </div>
      ))}
    </section>
  );
}

/** What the picked point hangs on, and how it is released. */
function Hangs({ id, cvs }: { id: string; cvs: readonly Cv[] }) {
  const params = useStudy((s) => s.study?.features.find((f) => f.id === id)?.params);
  const on = cvs.flatMap(([i]) => {
    const point: unknown = (params?.points as unknown[] | undefined)?.[i];
    const related = relationsOf(params).filter((r) => r.kind === 'coincident' && r.cvs.includes(i)).flatMap((r) => r.cvs);
    return [point, ...related].filter(isPlaceRef);
  });
  if (!on[0]) return null;
  return (
    <div className="row">
      <span className="quiet">Follows {'edge' in on[0] ? refWords(on[0]) : `CV ${on[0].cv + 1} of ${featureName(on[0].feature)}`}</span>
      <button className="chip" title="It stays where it is, and follows no longer (U)" onClick={release}>
        Release
      </button>
    </div>
  );
}

const PLANES = ['x', 'y', 'z'] as const;

/** Whether what lies mirrored moves too. */
function Mirrored() {
  const mirror = useTools((s) => s.mirror);
  return (
    <div className="row">
      <span className="quiet">Mirrored too, across</span>
      <span className="chips" role="radiogroup" aria-label="Mirrored too, across">
        {PLANES.map((axis) => (
          <button
            key={axis}
            className="chip"
            role="radio"
            aria-checked={mirror === axis}
            title={`CVs that lie mirrored in the plane ${axis} = 0 move mirrored`}
            onClick={() => useTools.setState({ mirror: mirror === axis ? null : axis })}
          >
            {axis} = 0
          </button>
        ))}
      </span>
    </div>
  );
}

const DragAlong = memo(function DragAlong({ curve, drawn }: { curve: boolean; drawn: boolean }) {
  const ownPlane = useView((s) => s.plane.step !== null);
  const falloff = useTools((s) => s.falloff);
  const mode = useTools((s) => s.dragMode);
  return (
    <>
      <div className="row">
        <span className="quiet">Drag along</span>
      </div>
      <div className="chips" role="radiogroup" aria-label="Drag along">
        {MODES.filter((m) => (m.value !== 'leg_v' || !curve) && (m.value !== 'offset' || drawn) && (!m.value.startsWith('plane_') || ownPlane)).map((m) => (
          <button key={m.value} className="chip" role="radio" aria-checked={mode === m.value} title={m.title} onClick={() => useTools.setState({ dragMode: m.value })}>
            {m.label}
          </button>
        ))}
      </div>
      <div className="quiet" style={{ marginTop: 4 }}>
        {MODES.find((m) => m.value === mode)?.title}
      </div>
      <div className="row">
        <span className="quiet">Neighbours follow within</span>
        <NumberField label="Neighbours follow within" value={falloff} digits={1} unit="mm" width={92} low={0} high={100000} onChange={(value) => useTools.setState({ falloff: value })} />
      </div>
    </>
  );
});
