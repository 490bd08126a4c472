import { Button } from '@mantine/core';

import { startTool, toggleComb } from '../../state/actions';
import { useCatalog } from '../../state/catalog';
import { stepOf, useStudy } from '../../state/study';
import { useTools } from '../../state/tools';
import { useView } from '../../state/view';
import { CvCard } from './CvCard';
import { small } from '../figures';
import { PickByName } from './PickByName';
import { ToolCard } from './ToolCard';
import { edgeWords } from '../../state/words';

/** What is picked, with its numbers. */
export function Card() {
  const { selection, hand } = useTools();
  const study = useStudy((s) => s.study);
  if (hand.at === 'step') return <ToolCard {...hand.draft} draft />;
  if (hand.at === 'combs') return <CombCard />;
  const feature = study?.features.find((f) => selection && f.id === stepOf(selection.id));
  if (!selection || !feature) return null;
  if (selection.kind === 'edge') return <EdgeCard id={selection.id} edge={selection.edge} />;
  if (selection.kind === 'cvs') return <CvCard id={selection.id} cvs={selection.cvs} />;
  return <ToolCard key={feature.id} id={feature.id} kind={feature.kind} name={feature.name} params={feature.params} draft={false} />;
}

/** Lines to show combs on, by name. */
function CombCard() {
  return (
    <section className="paper card" aria-label="Edges to pick">
      <h2>Combs</h2>
      <PickByName />
    </section>
  );
}

function EdgeCard({ id, edge }: { id: string; edge: string }) {
  const on = useView((s) => s.combEdges.some((e) => e.id === id && e.edge === edge));
  const tools = [...useCatalog((s) => s.tools).values()];
  const comb = useStudy((s) => s.combs.find((c) => c.id === id && c.edge === edge));
  return (
    <section className="paper card" aria-label="Card of the edge">
      <h2>Edge</h2>
      <div className="quiet">{edgeWords(id, edge)}</div>
      {comb && (
        <dl className="figures">
          <dt>Largest curvature</dt>
          <dd>{small(comb.largest)} 1/mm</dd>
          <dt>Least radius</dt>
          <dd>{comb.least_radius === null ? 'straight' : `${small(comb.least_radius)} mm`}</dd>
        </dl>
      )}
      <div className="keys">
        <Button size="xs" variant={on ? 'filled' : 'default'} onClick={() => toggleComb(id, edge)}>
          {on ? 'Hide comb' : 'Comb'}
        </Button>
        {tools
          .filter((t) => t.makes === 'face' && t.stage !== null && t.fields.some((f) => f.required && f.widget === 'line'))
          .map((t) => (
            <Button key={t.kind} size="xs" variant="default" onClick={() => startTool(t.kind)}>
              {t.label} from here
            </Button>
          ))}
      </div>
    </section>
  );
}
