import type { Viewport } from '../../scene/viewport';
import { fieldBy } from '../../state/catalog';
import { placedPoints } from '../../state/placing';
import { useTools } from '../../state/tools';

/** Points placed so far for a step in work, and the polygon through them. */
export function DraftOverlay({ viewport }: { viewport: Viewport }) {
  const hand = useTools((s) => s.hand);
  const draft = hand.at === 'step' ? hand.draft : null;
  const measured = hand.at === 'measuring' ? hand.points : null;
  const points = measured ?? (draft ? placedPoints(draft) : []);
  if (!points.length) return null;
  const spots = points.map((p) => viewport.view.project(p));
  const polygon = measured || fieldBy(draft?.kind, 'cvs') ? spots.map((p, i) => `${i ? 'L' : 'M'}${p.x.toFixed(1)},${p.y.toFixed(1)}`).join('') : '';
  return (
    <svg aria-label="Points placed">
      <path d={polygon} fill="none" stroke="var(--ink)" strokeWidth="0.8" strokeOpacity="0.5" />
      {spots.map((p, i) => (
        <circle key={i} cx={p.x} cy={p.y} r="4.5" fill="var(--paper)" stroke="var(--accent)" strokeWidth="1.8" />
      ))}
    </svg>
  );
}
