import type { EdgeRef } from '../../api/types';
import type { Field } from '../../state/catalog';
import { refWords } from '../../state/words';
import { arithmetic } from '../figures';
import { TypedField } from './TypedField';

interface Props {
  field: Field;
  /** What the numbers belong to, in order. */
  lines: readonly EdgeRef[];
  value: readonly (number | null)[];
  change(value: (number | null)[]): void;
}

/** A number of its own for each of several lines; an empty one goes by what is set for all. */
export function NumberEach({ field, lines, value, change }: Props) {
  if (lines.length < 2) return null;
  const take = (at: number, text: string): boolean => {
    const number = text === '' ? null : arithmetic(text);
    if (text !== '' && (number === null || (field.low !== null && number < field.low))) return false;
    change(lines.map((_, k) => (k === at ? number : (value[k] ?? null))));
    return true;
  };
  return lines.map((line, i) => {
    const label = `${field.title}: ${refWords(line)}`;
    const own = value[i] ?? null;
    return (
      <div className="row" key={`${line.feature} ${line.edge}`}>
        <span className="quiet">{label}</span>
        <TypedField label={label} shown={own === null ? '' : own.toFixed(2)} placeholder="as all" unit={field.unit} width={84} take={(text) => take(i, text)} />
      </div>
    );
  });
}
