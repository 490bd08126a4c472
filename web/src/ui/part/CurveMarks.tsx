import type { Viewport } from '../../scene/viewport';
import { useStudy } from '../../state/study';
import { draftOf, useTools } from '../../state/tools';
import { beside } from './beside';
import type { CurveFacts } from '../card/CurveFigures';
import { small } from '../figures';

/** Marks on the picked curve: inflections, the place of least radius, CVs at fault. */
export function CurveMarks({ viewport }: { viewport: Viewport }) {
  const selection = useTools((s) => s.selection);
  const draft = useTools(draftOf);
  const id = draft?.id ?? selection?.id;
  const { shown } = useStudy.getState();
  const curves = (id ? shown.features.get(id)?.facts.curves : undefined) as CurveFacts[] | undefined;
  const first = curves?.[0];
  const net = id ? shown.shapes.get(id)?.object.cvs : undefined;
  if (!first || !net || !curves) return null;
  const tight = first.least_radius === null ? null : viewport.view.project(first.least_point);
  return (
    <svg aria-label="Marks on the curve">
      {curves.flatMap((c) => c.inflections).map((p, i) => {
        const s = viewport.view.project(p);
        return <path key={i} d={`M${s.x - 5},${s.y}L${s.x},${s.y - 5}L${s.x + 5},${s.y}L${s.x},${s.y + 5}Z`} fill="var(--paper)" stroke="var(--plum)" strokeWidth="1.6" />;
      })}
      {tight && (
        <g>
          <circle cx={tight.x} cy={tight.y} r="3" fill="var(--plum)" />
          <text {...beside(viewport, tight.x, 8)} y={tight.y + 16} fontSize="11.5" fill="var(--plum)" stroke="var(--ground)" strokeWidth="3" paintOrder="stroke">
            least radius {small(first.least_radius)} mm
          </text>
        </g>
      )}
      {first.faults.map(({ cv, words }) => {
        const s = viewport.view.project([net.points[cv * 3] ?? 0, net.points[cv * 3 + 1] ?? 0, net.points[cv * 3 + 2] ?? 0]);
        return (
          <circle key={cv} cx={s.x} cy={s.y} r="9" fill="none" stroke="var(--close)" strokeWidth="1.8">
            <title>{words}</title>
          </circle>
        );
      })}
    </svg>
  );
}
