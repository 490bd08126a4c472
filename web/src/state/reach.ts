import type { FeatureSummary, Params } from '../api/types';
import { counts, fieldsOf, toolOf } from './catalog';

/** Something that can be chosen: how the server names it, and in words. */
export interface Named {
  value: string;
  label: string;
}

/** A figure that can be brought to another value. */
export interface Aim extends Named {
  now: number;
  unit: string;
}

/** What a step has found that is one number. */
export function aims({ id, kind, name }: Pick<FeatureSummary, 'id' | 'kind' | 'name'>, facts: Params | undefined): Aim[] {
  const measured = facts?.measured as { value: number | null; unit: string } | undefined;
  const curves = facts?.curves as Record<string, unknown>[] | undefined;
  const found: Aim[] = typeof measured?.value === 'number' ? [{ value: id, label: name, now: measured.value, unit: measured.unit }] : [];
  for (const { key, label, unit, form } of toolOf(kind)?.figures ?? []) {
    const now = facts?.[key];
    if (form === 'number' && typeof now === 'number') found.push({ value: `${id}.${key}`, label, now, unit });
  }
  const length = curves?.length === 1 ? curves[0]?.length : undefined;
  if (typeof length === 'number') found.push({ value: `${id}.length`, label: 'Length', now: length, unit: 'mm' });
  return found;
}

/** Steps that a step is made from, itself among them, by its references and theirs. */
export function behind(id: string, features: readonly FeatureSummary[]): FeatureSummary[] {
  const byId = new Map(features.map((f) => [f.id, f]));
  const found = new Set<string>();
  const walk = (value: unknown): void => {
    if (Array.isArray(value)) value.forEach(walk);
    else if (typeof value === 'object' && value !== null)
      for (const [key, own] of Object.entries(value)) {
        if (key === 'feature' && typeof own === 'string') visit(own.split('/', 1)[0] ?? own);
        else walk(own);
      }
  };
  const visit = (step: string): void => {
    const feature = byId.get(step);
    if (!feature || found.has(step)) return;
    found.add(step);
    walk(feature.params);
  };
  visit(id);
  return features.filter((f) => found.has(f.id));
}

const AXES = ['x', 'y', 'z'];

/** The numbers of a step's card; those of points by axis. */
export function numbersOf({ id, kind, params }: Pick<FeatureSummary, 'id' | 'kind' | 'params'>): Named[] {
  const fields = fieldsOf(kind);
  return fields
    .filter((f) => counts(f, fields, params))
    .flatMap(({ name, title, widget, whole, direction, fallback }): Named[] => {
      const now: unknown = params[name] ?? fallback;
      if ((widget === 'number' || widget === 'slider') && !whole && (typeof now === 'number' || typeof now === 'string')) return [{ value: `${id}.${name}`, label: title }];
      if (widget === 'slider' && Array.isArray(now)) return now.flatMap((v, i) => (typeof v === 'number' ? [{ value: `${id}.${name}.${i}`, label: `${title}, ${i ? 'second' : 'first'} side` }] : []));
      if ((widget === 'point' || widget === 'place') && !direction && Array.isArray(now)) return AXES.map((axis) => ({ value: `${id}.${name}.${axis}`, label: `${title}, ${axis}` }));
      return [];
    });
}
