import type { FrameFeature } from '../api/types';
import { changeParams } from './drafts';
import { useStudy } from './study';
import { useTools } from './tools';

export type Lost = NonNullable<FrameFeature['lost']>;

/** The same value with every reference to a line that is gone replaced by another line of the same object. */
export function pointed(value: unknown, lost: Lost, edge: string): unknown {
  if (Array.isArray(value)) return value.map((v) => pointed(v, lost, edge));
  if (typeof value !== 'object' || value === null) return value;
  const own = value as Record<string, unknown>;
  if (own.feature === lost.feature && own.edge === lost.edge) return { ...own, edge };
  return Object.fromEntries(Object.entries(own).map(([k, v]) => [k, pointed(v, lost, edge)]));
}

/** Let a step mean another line. */
export function pointTo(id: string, lost: Lost, edge: string): void {
  const params = useStudy.getState().study?.features.find((f) => f.id === id)?.params ?? {};
  const changes = Object.fromEntries(
    Object.entries(params).flatMap(([name, value]) => {
      const now = pointed(value, lost, edge);
      return JSON.stringify(now) === JSON.stringify(value) ? [] : [[name, now]];
    }),
  );
  useTools.setState({ hover: null });
  changeParams(id, changes, true);
}
