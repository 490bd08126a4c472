import { SegmentedControl, Slider } from '@mantine/core';
import { useState } from 'react';

import type { Field } from '../../state/catalog';
import { measure } from '../figures';
import { ExpressionField } from './ExpressionField';
import { NumberField } from './NumberField';

interface SlidingProps {
  field: Field;
  label: string;
  /** As given; null for the proposed one. */
  value: number | string | null;
  /** What the proposed one came to. */
  found: number | null;
  change(value: number | null, final: boolean): void;
}

/** A number that is pulled on a slider over its useful range, or typed over its whole one. */
export function Sliding({ field, label, value, found, change }: SlidingProps) {
  const [pulled, setPulled] = useState<number | null>(null);
  const [low, high] = [field.low ?? 0, field.high ?? 1];
  const [softLow, softHigh] = field.soft ?? [low, high];
  const shown = pulled ?? (typeof value === 'number' ? value : (found ?? 0.5 * (softLow + softHigh)));
  const proposed = value === null;
  return (
    <>
      <div className="row" style={{ marginTop: 4 }}>
        <span className="quiet">
          {field.title}{' '}
          {!proposed && field.optional && (
            <button className="target" onClick={() => change(null, true)} title={`Back to the proposed ${field.title.toLowerCase()}`}>
              as proposed
            </button>
          )}
        </span>
        <NumberField label={label} unit={field.unit} value={shown} digits={3} low={low} high={high} onChange={(v) => change(v, true)} />
      </div>
      <Slider
        aria-label={`${label}, slider`}
        thumbLabel={label}
        size="xs"
        min={softLow}
        max={softHigh}
        step={(softHigh - softLow) / 360}
        label={null}
        value={Math.min(softHigh, Math.max(softLow, shown))}
        onChange={(v) => {
          setPulled(v);
          change(v, false);
        }}
        onChangeEnd={(v) => {
          setPulled(null);
          change(v, true);
        }}
      />
    </>
  );
}

/** A number that is found unless it is chosen. */
export function Found({ field, value, found, change }: Omit<SlidingProps, 'label'>) {
  const open = value === null || value === undefined;
  const rounded = (v: number) => (field.whole ? Math.round(v) : Math.round(v * 1e4) / 1e4);
  return (
    <span style={{ display: 'flex', gap: 6 }}>
      <SegmentedControl
        size="xs"
        aria-label={`${field.title}: found or chosen`}
        data={[
          { value: 'found', label: found !== null && open ? `${field.whole ? found : measure({ value: found, unit: field.unit })} found` : 'found' },
          { value: 'chosen', label: 'chosen' },
        ]}
        value={open ? 'found' : 'chosen'}
        onChange={(how) => change(how === 'found' ? null : (found === null ? (field.low ?? 1) : rounded(found)), true)}
      />
      {!open && <ExpressionField label={field.title} width={field.whole ? 48 : 80} unit={field.unit} value={value} onChange={(v) => typeof v === 'number' && change(rounded(v), true)} />}
    </span>
  );
}
