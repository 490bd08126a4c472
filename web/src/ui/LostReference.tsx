import type { FrameFeature, Params } from '../api/types';
import { changeParams } from '../state/drafts';
import { useTools } from '../state/tools';
import { edgeWords } from './ToolBar';

type Lost = NonNullable<FrameFeature['lost']>;

const SHOWN = 6;

/** The same value with every reference to a line replaced by another line of the same object. */
function pointed(value: unknown, lost: Lost, edge: string): unknown {
  if (Array.isArray(value)) return value.map((v) => pointed(v, lost, edge));
  if (typeof value !== 'object' || value === null) return value;
  const own = value as Record<string, unknown>;
  if (own.feature === lost.feature && own.edge === lost.edge) return { ...own, edge };
  return Object.fromEntries(Object.entries(own).map(([k, v]) => [k, pointed(v, lost, edge)]));
}

/** What may be meant by a line that is gone or has become several: to be seen on the part, and picked. */
export function LostReference({ id, params, lost }: { id: string; params: Params; lost: Lost }) {
  if (!lost.candidates.length) return null;
  const point = (edge: string) => {
    const changes = Object.fromEntries(
      Object.entries(params).flatMap(([name, value]) => {
        const now = pointed(value, lost, edge);
        return JSON.stringify(now) === JSON.stringify(value) ? [] : [[name, now]];
      }),
    );
    useTools.setState({ hover: null });
    changeParams(id, changes, true);
  };
  const show = (edge: string | null) => useTools.setState({ hover: edge === null ? null : { feature: lost.feature, edge } });
  return (
    <div role="group" aria-label="What may be meant">
      <div className="quiet" style={{ marginTop: 8 }}>
        Point it to
      </div>
      <div className="chips">
        {lost.candidates.slice(0, SHOWN).map((edge) => (
          <button
            key={edge}
            className="chip"
            onClick={() => point(edge)}
            onPointerEnter={() => show(edge)}
            onPointerLeave={() => show(null)}
            onFocus={() => show(edge)}
            onBlur={() => show(null)}
          >
            {edgeWords(lost.feature, edge).split(', ').slice(1).join(', ') || edgeWords(lost.feature, edge)}
          </button>
        ))}
      </div>
    </div>
  );
}
