import { ActionIcon, Select } from '@mantine/core';
import { IconX } from '@tabler/icons-react';

import type { Params } from '../../api/types';
import { editParams } from '../../state/drafts';
import { relationsOf, relationWords, UNITS, type Relation } from '../../state/relations';
import { featureName, useStudy } from '../../state/study';
import { ExpressionField } from './ExpressionField';
import { edgeWords } from '../../state/words';

/** Relations of a curve's CVs, with what is still free and which contradict each other. */
export function Relations({ id, params }: { id: string; params: Params }) {
  const facts = useStudy((s) => s.shown.features.get(id)?.facts) as { free?: number; broken?: number[]; idle?: number[] } | undefined;
  const all = relationsOf(params);
  if (!all.length) return null;
  const set = (edit: (all: Relation[]) => Relation[]) => editParams(id, (now) => ({ relations: edit(relationsOf(now)) }));
  const change = (i: number, changes: Partial<Relation>) => set((now) => now.map((r, k) => (k === i ? { ...r, ...changes } : r)));
  const state = (i: number) => (facts?.broken?.includes(i) ? '▲ contradicts' : facts?.idle?.includes(i) ? 'says nothing new' : '');
  return (
    <div role="group" aria-label="Relations">
      {all.map((r, i) => (
        <div className="row" key={i}>
          <span className={state(i).startsWith('▲') ? 'state over' : 'quiet'}>
            {relationWords(r, featureName, (ref) => edgeWords(ref.feature, ref.edge))} {state(i)}
          </span>
          <span style={{ display: 'flex', alignItems: 'center', gap: 4 }}>
            {UNITS[r.kind] && (
              <ExpressionField
                label={`Value of relation ${i + 1}`}
                width={74}
                unit={UNITS[r.kind] ?? ''}
                value={r.value ?? 0}
                onChange={(value) => value !== null && change(i, { value })}
              />
            )}
            {r.kind === 'joint' && (
              <Select
                size="xs"
                w={58}
                aria-label={`Continuity of relation ${i + 1}`}
                data={['G0', 'G1', 'G2', 'G3']}
                allowDeselect={false}
                value={`G${r.order ?? 1}`}
                onChange={(g) => g && change(i, { order: Number(g[1]) })}
              />
            )}
            <ActionIcon size="xs" variant="subtle" color="gray" aria-label={`Remove relation ${i + 1}`} onClick={() => set((now) => now.filter((_, k) => k !== i))}>
              <IconX size={13} />
            </ActionIcon>
          </span>
        </div>
      ))}
      {facts?.free !== undefined && <div className="quiet">{facts.free === 0 ? 'Nothing is free any more.' : `${facts.free} numbers are still free.`}</div>}
    </div>
  );
}
