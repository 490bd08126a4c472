import type { Params } from '../../api/types';
import type { Viewport } from '../../scene/viewport';
import { isShown } from '../../state/actions';
import { useStudy } from '../../state/study';
import { useTools } from '../../state/tools';
import { useView } from '../../state/view';
import { measure } from '../figures';
import type { MeasuredFacts } from '../card/Measured';

/** A value with its place: what a step measures, or a figure of what it makes that has one. */
const markedIn = (facts: Params): MeasuredFacts | undefined => (facts.measured ?? facts.marked) as MeasuredFacts | undefined;

/** Measured values where they were measured; they follow every preview. */
export function MeasureOverlay({ viewport }: { viewport: Viewport }) {
  const { shown, study } = useStudy.getState();
  const isolated = useView((s) => s.isolated);
  const selection = useTools((s) => s.selection);
  const found = [...shown.features.values()].filter((f) => {
    const feature = study?.features.find((x) => x.id === f.id);
    return markedIn(f.facts) && !f.problem && (!feature || (feature.on && isShown(feature, isolated)));
  });
  if (!found.length) return null;
  return (
    <svg aria-label="Measured values">
      {found.map(({ id, facts }) => {
        const measured = markedIn(facts);
        if (!measured) return null;
        const spots = measured.lines.map(([a, b]) => [viewport.view.project(a), viewport.view.project(b)] as const);
        const first = spots[0];
        if (!first) return null;
        const [a, b] = first;
        const strong = selection?.id === id;
        const words = measure(measured);
        const width = 7 * words.length + 12;
        // Where the line is too short to carry its value, that stands below it.
        const below = Math.hypot(b.x - a.x, b.y - a.y) < width ? Math.abs(b.y - a.y) / 2 + 26 : 0;
        const [x, y] = [(a.x + b.x) / 2, (a.y + b.y) / 2 + below];
        return (
          <g key={id} stroke="var(--ink)" strokeWidth={strong ? 1.8 : 1.1}>
            {spots.map(([p, q], i) => (
              <path key={i} d={`M${p.x},${p.y}L${q.x},${q.y}${tick(p, q)}${tick(q, p)}`} fill="none" strokeOpacity={i ? 0.45 : 0.9} />
            ))}
            <rect x={x - width / 2} y={y - 9} width={width} height="18" rx="9" fill="var(--paper)" strokeWidth="0.8" stroke={strong ? 'var(--accent)' : 'var(--hair)'} />
            <text x={x} y={y + 4} fontSize="11.5" fontWeight="600" textAnchor="middle" fill="var(--ink)" stroke="none">
              {words}
            </text>
          </g>
        );
      })}
    </svg>
  );
}

/** A short stroke across the end of a measured line. */
function tick(at: { x: number; y: number }, from: { x: number; y: number }): string {
  const [dx, dy] = [at.x - from.x, at.y - from.y];
  const size = Math.hypot(dx, dy);
  if (size < 2) return '';
  const [x, y] = [(-dy / size) * 5, (dx / size) * 5];
  return `M${at.x - x},${at.y - y}L${at.x + x},${at.y + y}`;
}
