import type { ToolInfo } from '../../api/types';
import { fieldBy } from '../../state/catalog';
import { newId } from '../../state/drafts';
import { commit, reshape } from '../../state/session';
import { isCurve, useStudy } from '../../state/study';
import { useTools } from '../../state/tools';
import { NumberField } from './NumberField';

/** Changes of all of a curve at once. Each says how far the curve moved. */
export function WholeCurve({ id, kind, actions }: { id: string; kind: string; actions: ToolInfo['actions'] }) {
  const shape = useStudy((s) => s.shown.shapes.get(id));
  const object = useStudy((s) => s.shown.shapes.get(id)?.object);
  const whole = actions.filter((a) => a.at !== 'cvs');
  const derived = shape && isCurve(shape) && shape.edges.length === 1 && !fieldBy(kind, 'cvs');
  if (!object || (!whole.length && !derived)) return null;
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
        {derived && (
          <button className="chip" title="A CV curve of its own in its place: it stays where it is, and follows nothing any more" onClick={() => void commit({ op: 'break_free', id })}>
            Break free
          </button>
        )}
        {derived && object.cvs.through && (
          <button
            className="chip"
            title="Its control polygon, to be pulled: the curve goes on through its points below, and what is pulled is held on top"
            onClick={() => void commit({ op: 'move_cvs', id, cvs: [], step: newId(), mirror: null, over: true }).then((done) => done && useTools.setState(({ cvsOf }) => ({ cvsOf: [...new Set([...cvsOf, id])] })))}
          >
            CVs on top
          </button>
        )}
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
