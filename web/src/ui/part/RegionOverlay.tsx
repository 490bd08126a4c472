import { IconCheck, IconCut } from '@tabler/icons-react';

import type { Viewport } from '../../scene/viewport';
import { openRegions, toggleRegion } from '../../state/regions';
import { featureName, useStudy } from '../../state/study';
import { draftOf, useTools } from '../../state/tools';

/** A mark in every region that a trim has found: kept or cut away, changed by a click. */
export function RegionOverlay({ viewport }: { viewport: Viewport }) {
  const draft = useTools(draftOf);
  const selection = useTools((s) => s.selection);
  // Every change of shape ends in a drawing, and every drawing renders the overlays: no listening of their own.
  useStudy((s) => s.study);
  const id = draft?.id ?? (selection?.kind === 'feature' ? selection.id : null);
  const open = id ? openRegions() : null;
  if (!open || open.regions.length < 2) return null;
  return open.regions.map(({ point, pick, kept }, i) => {
    const at = viewport.view.project(point);
    const name = featureName(pick.feature);
    const number = open.regions.slice(0, i + 1).filter((r) => r.pick.feature === pick.feature).length;
    const words = `Region ${number} of ${name}: ${kept ? 'kept' : 'cut away'}`;
    return (
      <button
        key={i}
        className={kept ? 'region kept' : 'region'}
        style={{ left: at.x, top: at.y }}
        aria-label={words}
        aria-pressed={kept}
        title={`${words}. Click to change.`}
        onClick={() => toggleRegion(i)}
      >
        {kept ? <IconCheck size={15} stroke={2.4} /> : <IconCut size={14} />}
      </button>
    );
  });
}
