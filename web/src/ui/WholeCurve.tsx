import { NumberField } from './NumberField';
import { reshape } from '../state/session';
import { useStudy } from '../state/study';

/** What a CV curve is made of, and changes of all of it at once. Each says how far the curve moved. */
export function WholeCurve({ id }: { id: string }) {
  const object = useStudy((s) => s.shown.shapes.get(id)?.object);
  if (!object) return null;
  return (
    <div role="group" aria-label="The whole curve">
      <div className="row">
        <span className="quiet">Degree, spans</span>
        <span style={{ display: 'flex', gap: 4 }}>
        <NumberField label="Degree of the curve" value={object.degree[0]} digits={0} width={64} low={1} high={9} onChange={(v) => void reshape(id, 'degree', [], Math.round(v))} />
        <NumberField label="Spans of the curve" value={object.spans[0]} digits={0} width={64} low={1} high={60} onChange={(v) => void reshape(id, 'spans', [], Math.round(v))} />
        </span>
      </div>
      <div className="row">
        <span className="quiet">Offset the polygon</span>
        <NumberField label="Offset the polygon by" value={0} digits={2} unit="mm" width={92} low={-1e5} high={1e5} onChange={(v) => void reshape(id, 'offset', [], v)} />
      </div>
      <div className="chips">
        <button className="chip" title="The CVs between move to an even progress of the polygon" onClick={() => void reshape(id, 'even')}>
          Even out
        </button>
        <button className="chip" title="One CV more, and nothing moves" onClick={() => void reshape(id, 'insert')}>
          Insert a knot
        </button>
        <button className="chip" onClick={() => void reshape(id, 'reverse')}>
          Turn round
        </button>
      </div>
    </div>
  );
}
