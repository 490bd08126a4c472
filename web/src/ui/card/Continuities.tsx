import { SegmentedControl } from '@mantine/core';

import type { EdgeRef } from '../../api/types';
import type { Field } from '../../state/catalog';
import { refWords } from '../../state/words';

interface Props {
  field: Field;
  /** What the continuities belong to, in order. */
  sides: readonly EdgeRef[];
  value: readonly number[];
  /** What they came to where nothing is set. */
  found?: readonly number[];
  change(value: number[]): void;
}

/** What is meant where nothing is set. */
const UNSAID = 2;

/** One continuity for each of several lines. */
export function Continuities({ field, sides, value, found = [], change }: Props) {
  const at = (i: number) => value[i] ?? found[i] ?? Math.min(field.most, UNSAID);
  const levels = ['G0', 'G1', 'G2', 'G3'].slice(0, field.most + 1);
  return sides.map((side, i) => (
    <div className="row" key={`${side.feature} ${side.edge}`}>
      <span className="quiet long">{refWords(side)}</span>
      <SegmentedControl
        size="xs"
        aria-label={`${field.title}: ${refWords(side)}`}
        data={levels}
        value={`G${at(i)}`}
        onChange={(g) => change(sides.map((_, k) => (k === i ? Number(g[1]) : at(k))))}
      />
    </div>
  ));
}
