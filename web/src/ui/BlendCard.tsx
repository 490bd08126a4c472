import { SegmentedControl, Slider, Switch } from '@mantine/core';
import { useState } from 'react';

import type { BlendParams } from '../api/types';
import { changeParams } from '../state/drafts';
import { featureName, useStudy } from '../state/study';
import { useTools } from '../state/tools';
import { DraftKeys } from './DraftKeys';
import { NumberField } from './NumberField';
import { edgeWords } from './ToolBar';
import { TradeOff, type Trial } from './TradeOff';

interface Facts {
  spans: number;
  degree_across: number;
  fullness: [number, number];
  trials: Trial[];
}

type Pair<T> = [T, T];
const withAt = <T,>(pair: readonly T[], i: number, value: T): Pair<T> =>
  (i === 0 ? [value, pair[1]] : [pair[0], value]) as Pair<T>;

interface Props {
  id: string;
  name: string;
  params: BlendParams;
  draft: boolean;
}

/** Numbers of an edge blend, while it is made and afterwards. */
export function BlendCard({ id, name, params, draft }: Props) {
  const state = useStudy((s) => s.shown.features.get(id));
  const problem = useTools((s) => s.problem);
  const facts = state?.facts as Partial<Facts> | undefined;
  const sides = [params.first, params.second] as const;
  const continuity = params.continuity ?? [2, 2];
  const fullness = params.fullness ?? [null, null];
  const change = (changes: Partial<BlendParams>) => changeParams(id, { ...changes }, true);
  const spansFound = params.spans == null;

  return (
    <section className="paper card" aria-label={`Card of ${name}`}>
      <h2>{name}</h2>
      <div className="quiet">
        {edgeWords(sides[0].feature, sides[0].edge)} to {edgeWords(sides[1].feature, sides[1].edge)}
      </div>
      {sides.map((side, i) => {
        const sideName = `${featureName(side.feature)} side`;
        return (
          <div key={i} role="group" aria-label={sideName}>
            <div className="row">
              <span className="quiet">{sideName}</span>
              <SegmentedControl
                size="xs"
                aria-label={`Continuity, ${sideName}`}
                data={['G0', 'G1', 'G2', 'G3']}
                value={`G${continuity[i]}`}
                onChange={(g) => change({ continuity: withAt(continuity, i, Number(g[1])) })}
              />
            </div>
            {(continuity[i] ?? 0) > 0 && (
              <Fullness
                label={`Fullness, ${sideName}`}
                value={fullness[i] ?? facts?.fullness?.[i] ?? 0.9}
                follow={(value) => changeParams(id, { fullness: withAt(fullness, i, value) }, false)}
                set={(value) => change({ fullness: withAt(fullness, i, value) })}
                given={fullness[i] != null}
                reset={() => change({ fullness: withAt(fullness, i, null) })}
              />
            )}
          </div>
        );
      })}
      <div className="row">
        <span className="quiet">Degree along</span>
        <NumberField label="Degree along" value={params.degree ?? 5} digits={0} low={3} high={9} onChange={(degree) => change({ degree: Math.round(degree) })} />
      </div>
      <div className="row">
        <span className="quiet">Spans</span>
        <span style={{ display: 'flex', gap: 6 }}>
          <SegmentedControl
            size="xs"
            aria-label="How spans are chosen"
            data={[
              { value: 'found', label: facts?.spans && spansFound ? `${facts.spans} found` : 'found' },
              { value: 'chosen', label: 'chosen' },
            ]}
            value={spansFound ? 'found' : 'chosen'}
            onChange={(how) => change({ spans: how === 'found' ? null : (facts?.spans ?? 1) })}
          />
          {!spansFound && (
            <NumberField label="Spans" width={48} value={params.spans ?? 1} digits={0} low={1} high={40} onChange={(spans) => change({ spans: Math.round(spans) })} />
          )}
        </span>
      </div>
      <div className="row">
        <span className="quiet">Ends</span>
        <SegmentedControl
          size="xs"
          aria-label="How the ends align"
          data={[
            { value: 'neighbours', label: 'edges' },
            { value: 'straight', label: 'straight' },
            { value: 'iso', label: 'iso' },
          ]}
          value={params.ends ?? 'neighbours'}
          onChange={(ends) => change({ ends: ends as BlendParams['ends'] })}
        />
      </div>
      <div className="row">
        <span className="quiet">Flip the second edge</span>
        <Switch size="xs" aria-label="Flip the second edge" checked={params.flip ?? false} onChange={(e) => change({ flip: e.currentTarget.checked })} />
      </div>
      {facts?.trials && facts.trials.length > 1 && <TradeOff trials={facts.trials} chosen={facts.spans ?? 1} />}
      {state?.warnings.map((w) => (
        <div className="note" key={w}>
          {w}
        </div>
      ))}
      {(state?.problem ?? (draft ? problem : null)) && <div className="note bad">▲ {state?.problem ?? problem}</div>}
      {draft && <DraftKeys />}
    </section>
  );
}

interface FullnessProps {
  label: string;
  value: number;
  given: boolean;
  follow(value: number): void;
  set(value: number): void;
  reset(): void;
}

function Fullness({ label, value, given, follow, set, reset }: FullnessProps) {
  const [pulled, setPulled] = useState<number | null>(null);
  const shown = pulled ?? value;
  return (
    <>
      <div className="row" style={{ marginTop: 4 }}>
        <span className="quiet">
          Fullness{' '}
          {given && (
            <button className="target" onClick={reset} title="Back to the proposed fullness">
              reset
            </button>
          )}
        </span>
        <NumberField label={label} value={shown} digits={3} low={0.05} high={4} onChange={set} />
      </div>
      <Slider
        aria-label={`${label}, slider`}
        thumbLabel={label}
        size="xs"
        min={0.2}
        max={2}
        step={0.005}
        label={null}
        value={Math.min(2, Math.max(0.2, shown))}
        onChange={(v) => {
          setPulled(v);
          follow(v);
        }}
        onChangeEnd={(v) => {
          setPulled(null);
          set(v);
        }}
      />
    </>
  );
}
