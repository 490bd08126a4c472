import { Button } from '@mantine/core';

import { toggleCvs } from '../../state/actions';
import { featureName, useStudy } from '../../state/study';
import { draftOf, useTools } from '../../state/tools';
import { edgeWords, lineWords } from '../../state/words';

/** Make of the face that a step makes, or of those that it changes, and their CVs. */
export function FaceFigures({ id, changes }: { id: string; changes: readonly string[] | undefined }) {
  const faces = useStudy((s) => [id, ...(changes ?? [])].filter((o) => s.shown.shapes.get(o)?.object.kind === 'face').join(' '));
  const objects = faces.split(' ').filter(Boolean);
  return objects.map((object) => <One key={object} id={object} named={objects.length > 1 || object !== id} />);
}

function One({ id, named }: { id: string; named: boolean }) {
  const shape = useStudy((s) => s.shown.shapes.get(id));
  const drawing = useTools((s) => draftOf(s) !== null);
  if (!shape) return null;
  const { degree, spans, cvs: net, rational, trimmed, stale } = shape.object;
  const surface = `${rational ? 'rational' : 'polynomial'}${trimmed ? ', trimmed' : ''}`;
  if (named)
    return (
      <div className="row">
        <span title={`Degree ${degree.join(' × ')}, ${net.count.join(' × ')} CVs, ${surface}`}>
          {featureName(id)} <span className="quiet">{`${degree.join('×')} · ${net.count.join('×')}`}</span>
        </span>
        {!drawing && <CvsSwitch id={id} named />}
      </div>
    );
  return (
    <>
      <dl className="figures">
        <dt>Degree, u × v</dt>
        <dd>{degree.join(' × ')}</dd>
        <dt>Spans, u × v</dt>
        <dd>{spans.join(' × ')}</dd>
        <dt>CVs, u × v</dt>
        <dd>{net.count.join(' × ')}</dd>
        <dt>Surface</dt>
        <dd>{surface}</dd>
      </dl>
      {!drawing && (
        <details className="by-name">
          <summary>Edges, {shape.edges.length}</summary>
          <div className="chips">
            {shape.edges.map(({ name }) => (
              <button key={name} className="chip" aria-label={edgeWords(id, name)} onClick={() => useTools.setState({ selection: { kind: 'edge', id, edge: name } })}>
                {lineWords(name)}
              </button>
            ))}
          </div>
        </details>
      )}
      {stale && <div className="note">Shown is its last good shape.</div>}
      {!drawing && (
        <div className="keys">
          <CvsSwitch id={id} />
        </div>
      )}
    </>
  );
}

function CvsSwitch({ id, named = false }: { id: string; named?: boolean }) {
  const on = useTools((s) => s.cvsOf.includes(id));
  const words = on ? 'Hide CVs' : 'Show CVs';
  return (
    <Button size={named ? 'compact-xs' : 'xs'} variant={on ? 'filled' : 'default'} aria-label={named ? `${words} of ${featureName(id)}` : words} onClick={() => toggleCvs(id)}>
      {words}
    </Button>
  );
}
