import { arithmetic } from '../figures';
import { TypedField } from './TypedField';

interface Props {
  label: string;
  value: number | string | null;
  unit?: string;
  width?: number;
  optional?: boolean;
  onChange(value: number | string | null): void;
  /** Takes several numbers that were typed with commas between. */
  several?(values: number[]): void;
}

/** Narrow fields, three beside each other, show thousandths. */
const NARROW = 80;

const shown = (value: number | string | null, width: number): string => {
  if (value === null) return '';
  const scale = width < NARROW ? 1e3 : 1e5;
  return typeof value === 'string' ? value.replace(/^=/, '') : String(Math.round(value * scale) / scale);
};

/** A number that may be written with named dimensions ("R + 0.5"); plain arithmetic is worked out at once. */
export function ExpressionField({ label, value, unit, width = 92, optional = false, onChange, several }: Props) {
  const written = typeof value === 'string';
  const take = (text: string): boolean => {
    if (text === '' && optional) {
      onChange(null);
      return true;
    }
    const all = several ? text.split(/[,;]\s*|\s+/).filter(Boolean).map(arithmetic) : [];
    if (several && all.length > 1 && all.every((v) => v !== null)) {
      several(all as number[]);
      return true;
    }
    const result = arithmetic(text);
    if (result === null && !/[a-z_]/i.test(text.replace(/(mm|°)\s*$/, ''))) return false;
    const next = result ?? `=${text}`;
    if (next !== value) onChange(next);
    return true;
  };
  return (
    <TypedField
      label={label}
      title={written ? `${label}, written with dimensions` : label}
      shown={shown(value, width)}
      unit={unit}
      width={width}
      placeholder={optional ? '–' : undefined}
      derived={written}
      take={take}
    />
  );
}
