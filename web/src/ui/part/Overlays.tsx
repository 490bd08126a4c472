import { useSyncExternalStore } from 'react';

import type { Viewport } from '../../scene/viewport';
import { CandidateOverlay } from './CandidateOverlay';
import { CatchMark } from './CatchMark';
import { CombOverlay } from './CombOverlay';
import { CurveMarks } from './CurveMarks';
import { CvOverlay } from './CvOverlay';
import { DirectionOverlay } from './DirectionOverlay';
import { DraftOverlay } from './DraftOverlay';
import { FaultOverlay } from './FaultOverlay';
import { HandleOverlay } from './HandleOverlay';
import { MeasureOverlay } from './MeasureOverlay';
import { NormalOverlay } from './NormalOverlay';
import { PlaneOverlay } from './PlaneOverlay';
import { RegionOverlay } from './RegionOverlay';
import { RelationOverlay } from './RelationOverlay';
import { SeamOverlay } from './SeamOverlay';

/** What lies over the drawing and follows it: combs, CVs, handles, marks. */
export function Overlays({ viewport }: { viewport: Viewport }) {
  useSyncExternalStore(
    (changed) => viewport.onDrawn(changed),
    () => viewport.revision,
  );
  return (
    <div className="overlay">
      <PlaneOverlay viewport={viewport} />
      <NormalOverlay viewport={viewport} />
      <CombOverlay viewport={viewport} />
      <MeasureOverlay viewport={viewport} />
      <CurveMarks viewport={viewport} />
      <DraftOverlay viewport={viewport} />
      <CvOverlay viewport={viewport} />
      <RelationOverlay viewport={viewport} />
      <HandleOverlay viewport={viewport} />
      <DirectionOverlay viewport={viewport} />
      <FaultOverlay viewport={viewport} />
      <RegionOverlay viewport={viewport} />
      <CandidateOverlay viewport={viewport} />
      <CatchMark viewport={viewport} />
      <SeamOverlay viewport={viewport} />
    </div>
  );
}
