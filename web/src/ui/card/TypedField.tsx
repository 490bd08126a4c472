import { TextInput } from '@mantine/core';
import { useState } from 'react';

interface Props {
  label: string;
  title?: string;
  /** What stands in the field while nobody types in it. */
  shown: string;
  unit?: string | undefined;
  width: number;
  placeholder?: string | undefined;
  /** Whether the value follows from something else and is shown so. */
  derived?: boolean;
  /** Take what was typed; false if it makes no sense. */
  take(text: string): boolean;
}

/** A field for a figure: Enter or leaving it takes what was typed, Esc takes it back. */
export function TypedField({ label, title, shown, unit, width, placeholder, derived = false, take }: Props) {
  const [text, setText] = useState<string | null>(null);
  const [wrong, setWrong] = useState(false);

  const set = () => {
    if (text === null) return;
    const good = take(text.trim());
    setWrong(!good);
    if (good) setText(null);
  };

  return (
    <TextInput
      aria-label={label}
      title={title ?? label}
      size="xs"
      w={width}
      error={wrong}
      placeholder={placeholder}
      value={text ?? shown}
      rightSection={unit ? <span className="quiet">{unit}</span> : undefined}
      rightSectionWidth={unit ? 12 + 7 * unit.length : undefined}
      styles={{ input: { textAlign: 'right', fontVariantNumeric: 'tabular-nums', color: derived ? 'var(--accent)' : undefined } }}
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
