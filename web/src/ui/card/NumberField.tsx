import { arithmetic } from '../figures';
import { TypedField } from './TypedField';

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

/** A number that takes simple arithmetic. */
export function NumberField({ label, value, digits = 2, unit, width = 74, low, high, onChange }: Props) {
  const take = (text: string): boolean => {
    const result = arithmetic(text);
    if (result === null || (low !== undefined && result < low) || (high !== undefined && result > high)) return false;
    if (result !== value) onChange(result);
    return true;
  };
  const title = low !== undefined && high !== undefined ? `${label}: ${low} to ${high}` : label;
  return <TypedField label={label} title={title} shown={(Math.abs(value) < 0.5 * 10 ** -digits ? 0 : value).toFixed(digits)} unit={unit} width={width} take={take} />;
}
