import { ActionIcon } from '@mantine/core';
import { IconX } from '@tabler/icons-react';

import type { Params } from '../api/types';
import { changeParams } from '../state/actions';
import { useStudy } from '../state/study';
import { ExpressionField } from './ExpressionField';

export interface Relation {
  kind: 'fixed' | 'same' | 'length' | 'symmetric' | 'collinear' | 'equal' | 'angle';
  cvs: number[];
  axis?: number;
  value?: number | string;
  point?: number[];
}

const AXES = ['x', 'y', 'z'];
const UNITS: Partial<Record<Relation['kind'], string>> = { length: 'mm', angle: '°', symmetric: 'mm' };
const number = (cvs: number[]) => cvs.map((i) => i + 1).join(', ');

function words({ kind, cvs, axis = 2 }: Relation): string {
  const [a, b, c, d] = cvs.map((i) => i + 1);
  switch (kind) {
    case 'fixed':
      return `CV ${a} stays`;
    case 'same':
      return `CV ${a} and ${b}: same ${AXES[axis]}`;
    case 'length':
      return `Leg ${a}–${b}`;
    case 'symmetric':
      return `CV ${a} mirrors ${b} at ${AXES[axis]}`;
    case 'collinear':
      return `CV ${number(cvs)} in line`;
    case 'equal':
      return `Legs ${a}–${b} and ${c}–${d} equal`;
    case 'angle':
      return `Legs ${a}–${b} and ${c}–${d} at`;
  }
}

export const relationsOf = (params: Params | undefined): Relation[] => (params?.relations as Relation[] | undefined) ?? [];

/** Relations of a curve's CVs, with what is still free and which contradict each other. */
export function Relations({ id, params }: { id: string; params: Params }) {
  const facts = useStudy((s) => s.shown.features.get(id)?.facts) as { free?: number; broken?: number[]; idle?: number[] } | undefined;
  const all = relationsOf(params);
  if (!all.length) return null;
  const set = (relations: Relation[]) => changeParams(id, { relations }, true);
  const state = (i: number) => (facts?.broken?.includes(i) ? '▲ contradicts' : facts?.idle?.includes(i) ? 'says nothing new' : '');
  return (
    <div role="group" aria-label="Relations">
      {all.map((r, i) => (
        <div className="row" key={i}>
          <span className={state(i).startsWith('▲') ? 'state over' : 'quiet'}>
            {words(r)} {state(i)}
          </span>
          <span style={{ display: 'flex', alignItems: 'center', gap: 4 }}>
            {UNITS[r.kind] && (
              <ExpressionField
                label={`Value of relation ${i + 1}`}
                width={74}
                unit={UNITS[r.kind] ?? ''}
                value={r.value ?? 0}
                onChange={(value) => value !== null && set(all.map((x, k) => (k === i ? { ...x, value } : x)))}
              />
            )}
            <ActionIcon size="xs" variant="subtle" color="gray" aria-label={`Remove relation ${i + 1}`} onClick={() => set(all.filter((_, k) => k !== i))}>
              <IconX size={13} />
            </ActionIcon>
          </span>
        </div>
      ))}
      {facts?.free !== undefined && <div className="quiet">{facts.free === 0 ? 'Nothing is free any more.' : `${facts.free} numbers are still free.`}</div>}
    </div>
  );
}
