import { TextInput } from '@mantine/core';
import { useState } from 'react';

import { arithmetic } from './figures';

interface Props {
  label: string;
  value: number;
  digits?: number;
  unit?: string;
  width?: number;
  low?: number;
  high?: number;
  onChange(value: number): void;
}

/** A number that takes simple arithmetic; Enter or leaving the field sets it, Esc takes it back. */
export function NumberField({ label, value, digits = 2, unit, width = 74, low, high, onChange }: Props) {
  const [text, setText] = useState<string | null>(null);
  const [wrong, setWrong] = useState(false);

  const set = () => {
    if (text === null) return;
    const result = arithmetic(text);
    const fits = result !== null && (low === undefined || result >= low) && (high === undefined || result <= high);
    setWrong(!fits);
    if (!fits) return;
    setText(null);
    if (result !== value) onChange(result);
  };

  return (
    <TextInput
      aria-label={label}
      title={low !== undefined && high !== undefined ? `${label}: ${low} to ${high}` : label}
      size="xs"
      w={width}
      error={wrong}
      value={text ?? value.toFixed(digits)}
      rightSection={unit ? <span className="quiet">{unit}</span> : undefined}
      styles={{ input: { textAlign: 'right', fontVariantNumeric: 'tabular-nums' } }}
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
