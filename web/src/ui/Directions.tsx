import { ActionIcon } from '@mantine/core';
import { IconX } from '@tabler/icons-react';

import type { Params, Point } from '../api/types';
import { changeParams } from '../state/drafts';
import { ExpressionField } from './ExpressionField';

export interface Direction {
  point: number;
  direction: Point;
  weight: number | string;
}

export const directionsOf = (params: Params | undefined): Direction[] => (params?.directions as Direction[] | undefined) ?? [];

/** Directions and weights that a curve through points keeps, in numbers; their handles are on the part. */
export function Directions({ id, params }: { id: string; params: Params }) {
  const all = directionsOf(params);
  const set = (directions: Direction[]) => changeParams(id, { directions }, true);
  const change = (i: number, changes: Partial<Direction>) => set(all.map((d, k) => (k === i ? { ...d, ...changes } : d)));
  if (!all.length) return <div className="quiet">Pick a point to give it a direction.</div>;
  return (
    <div role="group" aria-label="Directions at points">
      {all.map((d, i) => (
        <div key={d.point} style={{ marginTop: 6 }}>
          <div className="row">
            <span className="quiet">Point {d.point + 1}, weight</span>
            <span style={{ display: 'flex', gap: 4, alignItems: 'center' }}>
              <ExpressionField label={`Weight at point ${d.point + 1}`} width={64} value={d.weight} onChange={(weight) => weight !== null && change(i, { weight })} />
              <ActionIcon size="xs" variant="subtle" color="gray" aria-label={`Free point ${d.point + 1}`} onClick={() => set(all.filter((_, k) => k !== i))}>
                <IconX size={13} />
              </ActionIcon>
            </span>
          </div>
          <div style={{ display: 'flex', gap: 4 }}>
            {(['x', 'y', 'z'] as const).map((axis, k) => (
              <ExpressionField
                key={axis}
                label={`Direction at point ${d.point + 1}, ${axis}`}
                width={70}
                value={d.direction[k] ?? 0}
                onChange={(v) => typeof v === 'number' && change(i, { direction: d.direction.map((w, n) => (n === k ? v : w)) as Point })}
              />
            ))}
          </div>
        </div>
      ))}
    </div>
  );
}
