import { Button, Select } from '@mantine/core';
import { useState } from 'react';

import type { FeatureSummary, Params } from '../../api/types';
import { aims, behind, numbersOf } from '../../state/reach';
import { commit } from '../../state/session';
import { useStudy } from '../../state/study';
import { ExpressionField } from './ExpressionField';

/** Bring a measured value to another one by changing one number of what it hangs on. */
export function Reach({ step, facts }: { step: FeatureSummary; facts: Params | undefined }) {
  const study = useStudy((s) => s.study);
  const busy = useStudy((s) => s.busy);
  const [chosen, setChosen] = useState<string | null>(null);
  const [aim, setAim] = useState<number | null>(null);
  const [by, setBy] = useState<string | null>(null);
  const [low, setLow] = useState<number | null>(null);
  const [high, setHigh] = useState<number | null>(null);
  const found = aims(step, facts);
  const figure = found.find((f) => f.value === chosen) ?? found[0];
  if (!study || !figure) return null;
  const numbers = [
    ...study.dimensions.map((d) => ({ value: d.name, label: d.name })),
    ...behind(step.id, study.features).flatMap((f) => numbersOf(f).map((n) => ({ ...n, label: `${f.name} · ${n.label}` }))),
  ];
  if (!numbers.length) return null;
  const number = (set: (v: number | null) => void) => (v: number | string | null) => typeof v !== 'string' && set(v);
  const reach = () => {
    if (by !== null && aim !== null) void commit({ op: 'solve', measure: figure.value, aim, by, low, high });
  };
  return (
    <details className="folded">
      <summary>Reach a value</summary>
      {found.length > 1 && (
        <Select size="xs" aria-label="What is to be reached" data={found.map(({ value, label }) => ({ value, label }))} value={figure.value} allowDeselect={false} onChange={setChosen} />
      )}
      <div className="row">
        <span>{found.length > 1 ? 'comes to' : `${figure.label} comes to`}</span>
        <ExpressionField label={`Value of ${figure.label} to reach`} unit={figure.unit} value={aim} optional onChange={number(setAim)} />
      </div>
      <Select size="xs" mt={4} searchable placeholder="by changing…" aria-label="Number to change" nothingFoundMessage="No such number" data={numbers} value={by} allowDeselect={false} onChange={setBy} />
      <div className="row">
        <span>between</span>
        <span style={{ display: 'flex', gap: 6 }}>
          <ExpressionField label="Least it may be" width={66} value={low} optional onChange={number(setLow)} />
          <ExpressionField label="Most it may be" width={66} value={high} optional onChange={number(setHigh)} />
        </span>
      </div>
      <div className="keys">
        <Button size="xs" loading={busy} disabled={aim === null || by === null} onClick={reach}>
          Reach it
        </Button>
      </div>
    </details>
  );
}
