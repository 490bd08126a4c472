import type { Viewport } from '../../scene/viewport';
import { useStudy } from '../../state/study';
import { useView } from '../../state/view';
import { beside } from './beside';
import { small } from '../figures';

/** Curvature combs: teeth, the line along their tips, and the largest value. */
export function CombOverlay({ viewport }: { viewport: Viewport }) {
  const combs = useStudy((s) => s.combs);
  const { comb, combEdges } = useView();
  const shown = combs.filter((c) => combEdges.some((e) => e.id === c.id && e.edge === c.edge));
  if (!shown.length) return null;
  return (
    <svg aria-label="Combs">
      {shown.map(({ id, edge, teeth, largest, least_radius }) => {
        let strokes = '';
        let tips = '';
        let top = { x: 0, y: 0, k: -1 };
        for (let o = 0; o + 7 < teeth.length; o += 8) {
          const at = (k: number) => teeth[o + k] ?? 0;
          const size = comb.scale * 100;
          const a = viewport.view.project([at(0), at(1), at(2)]);
          const b = viewport.view.project([at(0) + at(3) * size, at(1) + at(4) * size, at(2) + at(5) * size]);
          strokes += `M${a.x.toFixed(1)},${a.y.toFixed(1)}L${b.x.toFixed(1)},${b.y.toFixed(1)}`;
          tips += `${o ? 'L' : 'M'}${b.x.toFixed(1)},${b.y.toFixed(1)}`;
          if (at(6) > top.k) top = { x: b.x, y: b.y, k: at(6) };
        }
        return (
          <g key={`${id}.${edge}`}>
            <path d={strokes} stroke="var(--plum)" strokeWidth="0.8" opacity="0.65" />
            <path d={tips} fill="none" stroke="var(--plum)" strokeWidth="1.5" />
            <circle cx={top.x} cy={top.y} r="2.6" fill="var(--plum)" />
            <text {...beside(viewport, top.x, 6)} y={top.y - 5} fontSize="11.5" fill="var(--plum)" stroke="var(--ground)" strokeWidth="3" paintOrder="stroke">
              {least_radius === null ? 'straight' : `${small(largest)} 1/mm, radius ${small(least_radius)} mm`}
            </text>
          </g>
        );
      })}
    </svg>
  );
}
