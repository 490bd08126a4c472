import { Fragment, useEffect, useState } from 'react';

import type { Traced } from '../../api/types';
import type { Viewport } from '../../scene/viewport';
import { why } from '../../state/session';
import { featureName, useStudy, type SeamLine } from '../../state/study';
import { useTools } from '../../state/tools';
import { useView } from '../../state/view';
import { degrees } from '../figures';

/** The crease along a seam and the spans it needs; where it is over its limit the cause, its place, and the step to change. */
export function Why({ seam, viewport }: { seam: SeamLine; viewport: Viewport | null }) {
  const version = useStudy((s) => s.version);
  const [found, setFound] = useState<Traced | null>(null);
  useEffect(() => {
    let here = true;
    void why(seam.key).then((traced) => here && setFound(traced));
    return () => {
      here = false;
    };
  }, [seam.key, version]);
  if (found?.key !== seam.key) return <div className="why quiet">…</div>;
  const { crease, spans, causes } = found;
  const goThere = (place: readonly [number, number, number]) => {
    useView.setState({ stripRow: nearestRow(seam.plot, place) });
    viewport?.flyTo(place, Math.max(60, seam.length * 0.3));
  };
  return (
    <div className="why" role="status" aria-label="Why">
      <span className="quiet">
        Crease {degrees(crease.least)}° to {degrees(crease.largest)}°, uneven by {degrees(crease.unevenness)}° · needs {spans.needed} {spans.needed === 1 ? 'span' : 'spans'}
        {spans.have === null ? '' : `, has ${spans.have}`}
      </span>
      {causes.length > 0 && (
        <span>
          <span className="state over">▲ {found.words}</span>{' '}
          {causes.map(({ name, place, step, object }, k) => (
            <Fragment key={k}>
              <button className="chip" title={name} onClick={() => goThere(place)}>
                {causes.length > 1 ? `Go to ${featureName(object)}` : 'Go there'}
              </button>
              <button className="chip" onClick={() => useTools.setState({ selection: { kind: 'feature', id: object } })}>
                Open {featureName(step)}
              </button>
            </Fragment>
          ))}
        </span>
      )}
    </div>
  );
}

/** The row of a plot, 7 numbers each with the place in the last three, that is nearest to a place. */
function nearestRow(plot: Float32Array | readonly number[], [x, y, z]: readonly number[]): number {
  let [best, least] = [0, Infinity];
  for (let i = 0; i + 6 < plot.length; i += 7) {
    const away = Math.hypot((plot[i + 4] ?? 0) - (x ?? 0), (plot[i + 5] ?? 0) - (y ?? 0), (plot[i + 6] ?? 0) - (z ?? 0));
    if (away < least) [best, least] = [i / 7, away];
  }
  return best;
}
