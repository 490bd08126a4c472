import type { ToolInfo } from '../../api/types';
import { reshape } from '../../state/session';
import { useStudy } from '../../state/study';
import { NumberField } from './NumberField';

/** Changes of all of a curve at once. Each says how far the curve moved. */
export function WholeCurve({ id, actions }: { id: string; actions: ToolInfo['actions'] }) {
  const object = useStudy((s) => s.shown.shapes.get(id)?.object);
  const whole = actions.filter((a) => a.at !== 'cvs');
  if (!object || !whole.length) return null;
  const now = { degree: object.degree[0], spans: object.spans[0] };
  return (
    <div role="group" aria-label="The whole curve">
      {whole.map(
        ({ name, label, about, asks }) =>
          asks && (
            <div className="row" key={name} title={about}>
              <span className="quiet">{label}</span>
              <NumberField
                label={`${label} of the curve`}
                value={now[asks.shows as keyof typeof now] ?? 0}
                digits={asks.whole ? 0 : 2}
                unit={asks.unit}
                width={92}
                low={asks.low}
                high={asks.high}
                onChange={(v) => void reshape(id, name, [], asks.whole ? Math.round(v) : v)}
              />
            </div>
          ),
      )}
      <div className="chips">
        {whole
          .filter((a) => !a.asks)
          .map((a) => (
            <button key={a.name} className="chip" title={a.about} onClick={() => void reshape(id, a.name)}>
              {a.label}
            </button>
          ))}
      </div>
    </div>
  );
}
