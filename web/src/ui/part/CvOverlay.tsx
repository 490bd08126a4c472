import { dragDirection } from '../../scene/cvDrag';
import { cvPoint } from '../../scene/cvPoint';
import type { Viewport } from '../../scene/viewport';
import { isShown } from '../../state/actions';
import { featureName, stepOf, useStudy, type Shape } from '../../state/study';
import { useTools, type Cv } from '../../state/tools';
import { useView } from '../../state/view';
import { CvNet } from './CvNet';

/** More CVs than this are not shown: nobody could pick one. */
const MOST = 900;

/** Control polygons and CVs of the shapes that show them, and the line that a drag would follow. */
export function CvOverlay({ viewport }: { viewport: Viewport }) {
  const cvsOf = useTools((s) => s.cvsOf);
  const selection = useTools((s) => s.selection);
  // Every change of shape ends in a drawing, and every drawing renders the overlays: no listening of their own.
  const { shown, study } = useStudy.getState();
  const isolated = useView((s) => s.isolated);
  return cvsOf.map((id) => {
    const shape = shown.shapes.get(id);
    const feature = study?.features.find((f) => f.id === stepOf(id));
    if (!shape || !feature || !isShown(feature, isolated)) return null;
    const [rows, columns] = shape.object.cvs.count;
    if (rows * columns > MOST)
      return (
        <div key={id} className="tag" style={{ left: 252, top: 140 }}>
          {featureName(id)} has {rows * columns} CVs, more than the {MOST} that can be shown.
        </div>
      );
    const first = selection?.kind === 'cvs' && selection.id === id ? selection.cvs[0] : undefined;
    return (
      <div key={id}>
        <CvNet viewport={viewport} id={id} rows={rows} columns={columns} />
        {first && (
          <svg>
            <DragLine viewport={viewport} shape={shape} cv={first} />
          </svg>
        )}
      </div>
    );
  });
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
