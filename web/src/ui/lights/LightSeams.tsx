import type { Viewport } from '../../scene/viewport';
import { useStudy } from '../../state/study';
import { useView } from '../../state/view';
import { seamNames } from '../../state/words';
import { openSeam } from '../ledger/openSeam';

/** Rows that are listed: the rest is quieter. */
const MOST = 4;

/** What the light lines do at seams: where they break and where they kink, the worst first. */
export function LightSeams({ viewport }: { viewport: Viewport | null }) {
  const light = useView((s) => s.light);
  const { lightSeams, lights, shown, previewing } = useStudy();
  if (light !== 'lines') return null;
  const rows = lightSeams.flatMap((l) => shown.seams.filter((s) => s.key === l.key).map((s) => ({ ...l, seam: s })));
  const names = seamNames(shown.seams);
  const go = (at: readonly number[], seam: (typeof rows)[number]['seam']) => {
    openSeam(seam, viewport);
    viewport?.flyTo([at[0] ?? 0, at[1] ?? 0, at[2] ?? 0], Math.max(60, seam.length * 0.9));
  };
  return (
    <div className="paper legend light-seams" role="group" aria-label="Light lines at seams">
      <strong>Light lines at seams</strong>
      {!rows.length && <div className="quiet">{lights.shown.size ? 'None crosses a seam.' : 'No face looks toward the lights.'}</div>}
      {rows.length > 0 && (
        <table>
          <thead>
            <tr>
              <th />
              <th>Jump</th>
              <th>Kink</th>
            </tr>
          </thead>
          <tbody>
            {rows.slice(0, MOST).map(({ seam, jump, jump_at, kink, kink_at }) => (
              <tr key={seam.key}>
                <td title={names.get(seam.key)}>{names.get(seam.key)}</td>
                <td>
                  <button className="plain" title="Go to the farthest jump" onClick={() => go(jump_at, seam)}>
                    {jump.toFixed(3)} mm
                  </button>
                </td>
                <td>
                  <button className="plain" title="Go to the sharpest kink" onClick={() => go(kink_at, seam)}>
                    {kink.toFixed(2)}°
                  </button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {previewing && rows.length > 0 && <div className="quiet">as kept</div>}
    </div>
  );
}
