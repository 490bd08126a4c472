import type { Params } from '../../api/types';
import { isRef, type Field } from '../../state/catalog';
import { featureName } from '../../state/study';
import { FieldRow } from './FieldRow';

interface Props {
  /** Fields that hold a value for each side. */
  fields: readonly Field[];
  params: Params;
  facts: Params | undefined;
  change(changes: Params, final?: boolean): void;
}

/** What a tool takes for each of two sides, under the name of what lies there. */
export function Sides({ fields, params, facts, change }: Props) {
  const names = fields[0]?.sides ?? [];
  return names.map((name, i) => {
    const ref: unknown = params[name];
    const side = isRef(ref) ? `${featureName(ref.feature)} side` : `${name[0]?.toUpperCase()}${name.slice(1)} side`;
    return (
      <div key={name} role="group" aria-label={side}>
        {fields.map((field) => {
          const pair = (params[field.name] ?? field.fallback) as unknown[];
          return (
            <FieldRow
              key={field.name}
              field={{ ...field, title: field.widget === 'continuity' ? side : field.title, sides: null }}
              label={`${field.title}, ${side}`}
              value={pair[i]}
              found={(facts?.[field.found] as number[] | undefined)?.[i] ?? null}
              change={(value, final) => change({ [field.name]: pair.map((v, k) => (k === i ? value : v)) }, final)}
            />
          );
        })}
      </div>
    );
  });
}
