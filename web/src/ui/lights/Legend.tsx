import { SCALE } from '../../scene/light';
import { useView } from '../../state/view';
import { small } from '../figures';
import { KIND_WORDS } from './LightBar';

/** The scale of the curvature light, and the exact value under the pointer beside the pointer. */
export function Legend() {
  const { light, curvature, probe } = useView();
  if (light !== 'curvature') return null;
  const [label, unit] = KIND_WORDS[curvature.kind];
  return (
    <>
      <div className="paper legend" role="group" aria-label="Legend">
        <strong>{label}</strong>
        <div className="bar" style={{ background: `linear-gradient(90deg, ${SCALE.join(', ')})` }} />
        <div className="ends">
          <span>{small(curvature.low)}</span>
          <span>{small((curvature.low + curvature.high) / 2)}</span>
          <span>{small(curvature.high)}</span>
        </div>
        <div className="quiet" style={{ fontSize: 11 }}>
          {unit}, {curvature.fitted ? 'fitted to the part' : 'set by hand'}
        </div>
      </div>
      {probe && (
        <div className="tag" style={{ left: probe.x + 16, top: probe.y + 14, pointerEvents: 'none' }} role="status" aria-label="Value under the pointer">
          <strong>{small(probe[curvature.kind])}</strong> {unit}
        </div>
      )}
    </>
  );
}
