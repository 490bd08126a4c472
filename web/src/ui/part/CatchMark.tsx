import type { Viewport } from '../../scene/viewport';
import { useTools } from '../../state/tools';

/** A ring round what a point would catch, with its name. */
export function CatchMark({ viewport }: { viewport: Viewport }) {
  const caught = useTools((s) => s.caught);
  if (!caught) return null;
  const { x, y } = viewport.view.project(caught.at);
  return (
    <svg aria-label="Caught">
      <circle cx={x} cy={y} r="7" fill="none" stroke="var(--accent)" strokeWidth="2" />
      <text x={x + 12} y={y - 8} fontSize="11.5" fontWeight="600" fill="var(--accent)" stroke="var(--ground)" strokeWidth="3" paintOrder="stroke">
        {caught.words}
      </text>
    </svg>
  );
}
