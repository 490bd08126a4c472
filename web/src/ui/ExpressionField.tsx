import { TextInput } from '@mantine/core';
import { useState } from 'react';

import { arithmetic } from './figures';

interface Props {
  label: string;
  value: number | string | null;
  unit?: string;
  width?: number;
  optional?: boolean;
  onChange(value: number | string | null): void;
}

const shown = (value: number | string | null): string => {
  if (value === null) return '';
  return typeof value === 'string' ? value.replace(/^=/, '') : String(Math.round(value * 1e5) / 1e5);
};

/** A number that may be written with named dimensions ("R + 0.5"); plain arithmetic is worked out at once. */
export function ExpressionField({ label, value, unit, width = 92, optional = false, onChange }: Props) {
  const [text, setText] = useState<string | null>(null);
  const [wrong, setWrong] = useState(false);
  const written = typeof value === 'string';

  const set = () => {
    if (text === null) return;
    const plain = text.trim();
    if (plain === '' && optional) onChange(null);
    else {
      const result = arithmetic(plain);
      const named = /[a-z_]/i.test(plain.replace(/(mm|°)\s*$/, ''));
      if (result === null && !named) {
        setWrong(true);
        return;
      }
      onChange(result ?? `=${plain}`);
    }
    setWrong(false);
    setText(null);
  };

  return (
    <TextInput
      aria-label={label}
      title={written ? `${label}, written with dimensions` : label}
      size="xs"
      w={width}
      error={wrong}
      placeholder={optional ? '–' : undefined}
      value={text ?? shown(value)}
      rightSection={unit ? <span className="quiet">{unit}</span> : undefined}
      rightSectionWidth={unit ? 12 + 7 * unit.length : undefined}
      styles={{ input: { textAlign: 'right', fontVariantNumeric: 'tabular-nums', color: written ? 'var(--accent)' : undefined } }}
      onChange={(e) => setText(e.currentTarget.value)}
      onBlur={set}
      onKeyDown={(e) => {
        e.stopPropagation();
        // Leaving the field sets it, and gives the keyboard back to the part.
        if (e.key === 'Enter') e.currentTarget.blur();
        if (e.key === 'Escape') {
          setText(null);
          setWrong(false);
        }
      }}
    />
  );
}
