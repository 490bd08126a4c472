import { useSyncExternalStore } from 'react';

import type { Viewport } from '../scene/viewport';
import { CombOverlay } from './CombOverlay';
import { CurveMarks } from './CurveMarks';
import { CvOverlay } from './CvOverlay';
import { DraftOverlay } from './DraftOverlay';
import { HandleOverlay } from './HandleOverlay';
import { SeamOverlay } from './SeamOverlay';

/** What lies over the drawing and follows it: combs, CVs, handles, marks. */
export function Overlays({ viewport }: { viewport: Viewport }) {
  useSyncExternalStore(
    (changed) => viewport.onDrawn(changed),
    () => viewport.revision,
  );
  return (
    <div className="overlay">
      <CombOverlay viewport={viewport} />
      <CurveMarks viewport={viewport} />
      <DraftOverlay viewport={viewport} />
      <CvOverlay viewport={viewport} />
      <HandleOverlay viewport={viewport} />
      <SeamOverlay viewport={viewport} />
    </div>
  );
}
