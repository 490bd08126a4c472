import { ActionIcon } from '@mantine/core';
import { IconX } from '@tabler/icons-react';

import type { EdgeRef, Params, Point } from '../../api/types';
import { startRepick } from '../../state/actions';
import { editParams } from '../../state/drafts';
import { ExpressionField } from './ExpressionField';
import { edgeWords } from '../../state/words';

export interface Direction {
  point: number;
  direction: Point;
  weight: number | string;
  /** A line whose tangent gives the direction. */
  along?: EdgeRef | null;
}

const AXES: [string, Point][] = [
  ['x', [1, 0, 0]],
  ['y', [0, 1, 0]],
  ['z', [0, 0, 1]],
];

/** Of the two senses of an axis the one that is nearer to a direction. */
function facing(way: Point, direction: Point): Point {
  const sense = way[0] * direction[0] + way[1] * direction[1] + way[2] * direction[2] < 0 ? -1 : 1;
  return [way[0] * sense, way[1] * sense, way[2] * sense];
}

export const directionsOf = (params: Params | undefined): Direction[] => ((params?.directions as (Omit<Direction, 'weight'> & { weight?: number })[] | undefined) ?? []).map((d) => ({ weight: 1, ...d }));

/** Directions and weights that a curve through points keeps, in numbers; their handles are on the part. */
export function Directions({ id, params }: { id: string; params: Params }) {
  const all = directionsOf(params);
  const set = (edit: (all: Direction[]) => Direction[]) => editParams(id, (now) => ({ directions: edit(directionsOf(now)) }));
  const change = (i: number, changes: Partial<Direction> | ((d: Direction) => Partial<Direction>)) =>
    set((now) => now.map((d, k) => (k === i ? { ...d, ...(typeof changes === 'function' ? changes(d) : changes) } : d)));
  if (!all.length) return <div className="quiet">Pick a point to give it a direction.</div>;
  return (
    <div role="group" aria-label="Directions at points">
      {all.map((d, i) => (
        <div key={d.point} style={{ marginTop: 6 }}>
          <div className="row">
            <span className="quiet">Point {d.point + 1}, weight</span>
            <span style={{ display: 'flex', gap: 4, alignItems: 'center' }}>
              <ExpressionField label={`Weight at point ${d.point + 1}`} width={64} value={d.weight} onChange={(weight) => weight !== null && change(i, { weight })} />
              <ActionIcon size="xs" variant="subtle" color="gray" aria-label={`Free point ${d.point + 1}`} onClick={() => set((now) => now.filter((_, k) => k !== i))}>
                <IconX size={13} />
              </ActionIcon>
            </span>
          </div>
          {!d.along && (
            <div style={{ display: 'flex', gap: 4 }}>
              {(['x', 'y', 'z'] as const).map((axis, k) => (
                <ExpressionField
                  key={axis}
                  label={`Direction at point ${d.point + 1}, ${axis}`}
                  width={70}
                  value={d.direction[k] ?? 0}
                  onChange={(v) => typeof v === 'number' && change(i, (now) => ({ direction: now.direction.map((w, n) => (n === k ? v : w)) as Point }))}
                />
              ))}
            </div>
          )}
          <div className="chips">
            {d.along ? (
              <button className="chip" title="Follows it. Click to let go" onClick={() => change(i, { along: null })}>
                along {edgeWords(d.along.feature, d.along.edge)}
              </button>
            ) : (
              <>
                {AXES.map(([axis, way]) => (
                  <button key={axis} className="chip" onClick={() => change(i, { direction: facing(way, d.direction) })}>
                    along {axis}
                  </button>
                ))}
                <button className="chip" title="Pick a line whose direction it follows" onClick={() => startRepick({ id, field: 'directions', kind: 'line', take: (along) => 'edge' in along && change(i, { along }) })}>
                  along a line…
                </button>
              </>
            )}
          </div>
        </div>
      ))}
    </div>
  );
}
