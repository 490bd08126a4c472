import type { Field } from '../../state/catalog';
import { arithmetic } from '../figures';
import { TypedField } from './TypedField';

interface Props {
  field: Field;
  /** Names of what the numbers belong to, in order; null for what has none. */
  names: readonly (string | null)[];
  /** What those left open came to. */
  found?: readonly (number | null)[];
  value: readonly (number | null)[];
  change(value: (number | null)[]): void;
}

/** A number of its own for each of several things; an empty one goes by what is set for all, or found. */
export function NumberEach({ field, names, found, value, change }: Props) {
  if (names.length < 2) return null;
  const open = field.counted ? 'as found' : 'as all';
  const take = (at: number, text: string): boolean => {
    const number = text === '' ? null : arithmetic(text);
    if (text !== '' && (number === null || number < (field.low ?? -Infinity) || number > (field.high ?? Infinity))) return false;
    change(names.map((_, k) => (k === at ? number : (value[k] ?? null))));
    return true;
  };
  return names.map((name, i) => {
    if (name === null) return null;
    const label = `${field.title}: ${name}`;
    const own = value[i] ?? null;
    return (
      <div className="row" key={name}>
        <span className="quiet long">{label}</span>
        <TypedField label={label} shown={own === null ? '' : own.toFixed(2)} placeholder={found?.[i]?.toFixed(2) ?? open} unit={field.unit} width={84} take={(text) => take(i, text)} />
      </div>
    );
  });
}
