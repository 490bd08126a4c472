import { Button } from '@mantine/core';

import type { BlendParams } from '../api/types';
import { startTool, toggleComb } from '../state/actions';
import { stepOf, useStudy } from '../state/study';
import { useTools } from '../state/tools';
import { useView } from '../state/view';
import { BlendCard } from './BlendCard';
import { CvCard } from './CvCard';
import { small } from './figures';
import { PickCard } from './PickCard';
import { ToolCard } from './ToolCard';
import { edgeWords } from './ToolBar';

/** What is picked, with its numbers. */
export function Card() {
  const { selection, draft, tool } = useTools();
  const study = useStudy((s) => s.study);
  if (draft?.kind === 'edge_blend') return <BlendCard id={draft.id} name={draft.name} params={draft.params as unknown as BlendParams} draft />;
  if (draft) return <ToolCard {...draft} draft />;
  if (tool) return <PickCard />;
  const feature = study?.features.find((f) => selection && f.id === stepOf(selection.id));
  if (!selection || !feature) return null;
  if (selection.kind === 'edge') return <EdgeCard id={selection.id} edge={selection.edge} />;
  if (selection.kind === 'cvs') return <CvCard id={selection.id} cvs={selection.cvs} />;
  if (feature.kind === 'edge_blend')
    return <BlendCard key={feature.id} id={feature.id} name={feature.name} params={feature.params as unknown as BlendParams} draft={false} />;
  if (feature.kind === 'mesh') return <MeshCard id={feature.id} name={feature.name} />;
  return <ToolCard key={feature.id} id={feature.id} kind={feature.kind} name={feature.name} params={feature.params} draft={false} />;
}

function MeshCard({ id, name }: { id: string; name: string }) {
  const facts = useStudy((s) => s.shown.features.get(id)?.facts) as
    | { triangles?: number; open_edges?: number; size?: [number, number, number] }
    | undefined;
  return (
    <section className="paper card" aria-label={`Card of ${name}`}>
      <h2>{name}</h2>
      <div className="quiet">Reference mesh</div>
      <dl className="figures">
        <dt>Triangles</dt>
        <dd>{facts?.triangles?.toLocaleString('en') ?? '–'}</dd>
        <dt>Size</dt>
        <dd>{facts?.size?.map((s) => s.toFixed(1)).join(' × ') ?? '–'} mm</dd>
        <dt>Open sides</dt>
        <dd>{facts?.open_edges ?? '–'}</dd>
      </dl>
      <div className="quiet">Shown under the surfaces; nothing snaps to it.</div>
    </section>
  );
}

function EdgeCard({ id, edge }: { id: string; edge: string }) {
  const on = useView((s) => s.combEdges.some((e) => e.id === id && e.edge === edge));
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
        <Button size="xs" variant="default" onClick={() => startTool('edge_blend')}>
          Blend from here
        </Button>
      </div>
    </section>
  );
}
