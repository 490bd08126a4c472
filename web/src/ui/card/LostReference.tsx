import { pointTo, type Lost } from '../../state/repoint';
import { useTools } from '../../state/tools';
import { edgeWords } from '../../state/words';

const SHOWN = 6;

/** What may be meant by a line that is gone or has become several: numbered as on the part, and picked. */
export function LostReference({ id, lost }: { id: string; lost: Lost }) {
  if (!lost.candidates.length) return null;
  const show = (edge: string | null) => useTools.setState({ hover: edge === null ? null : { feature: lost.feature, edge } });
  return (
    <div role="group" aria-label="What may be meant">
      <div className="quiet" style={{ marginTop: 8 }}>
        Point it to
      </div>
      <div className="chips">
        {lost.candidates.slice(0, SHOWN).map((edge, i) => (
          <button
            key={edge}
            className="chip"
            onClick={() => pointTo(id, lost, edge)}
            onPointerEnter={() => show(edge)}
            onPointerLeave={() => show(null)}
            onFocus={() => show(edge)}
            onBlur={() => show(null)}
          >
            {`${i + 1} · ${edgeWords(lost.feature, edge).split(', ').slice(1).join(', ') || edgeWords(lost.feature, edge)}`}
          </button>
        ))}
      </div>
    </div>
  );
}
