import type { FeatureSummary } from '../api/types';
import { toolOf } from './catalog';
import { useStudy } from './study';
import type { Stage } from './tools';

const place = (study: string): string => `pamble.stage.${study}`;

/** Keep the stage that a study was left in. */
export function keepStage(stage: Stage): void {
  const { id } = useStudy.getState();
  if (id) localStorage.setItem(place(id), stage);
}

/** The stage in which a study opens: the one it was left in; else that of its last step, and Plan for an empty one. */
export function openingStage(study: string, features: readonly FeatureSummary[]): Stage {
  const left = localStorage.getItem(place(study)) as Stage | null;
  if (left) return left;
  if (!features.length) return 'plan';
  const stages = features.map((f) => toolOf(f.kind)?.stage).filter((s) => s !== null && s !== undefined);
  return (stages.at(-1) as Stage | undefined) ?? 'blends';
}
