import type { WaysTold } from '../api/types';
import { toolOf } from './catalog';
import { createPerStudy } from './perStudy';
import { useStudy } from './study';
import { draftNow } from './tools';

/** A way in which a step could be made, as a small picture. */
export interface Sketch {
  name: string;
  sides: number;
  patches?: number;
  /** Lines inside the polygon whose corners lie on the circle of radius 1, x and y of both ends. */
  sketch: [number, number, number, number][];
  chosen?: boolean;
  /** Whether it ranks first of several that were built. */
  best?: boolean;
  cvs?: number;
  over?: number;
  /** What stands under the picture, and what is said of it, where that is not how far it holds. */
  said?: string;
  about?: string;
}

/** What was told of the ways of the step in work since it was shown last. */
export const useWays = createPerStudy<{ told: WaysTold | null }>({ told: null });

/** Time in ms without a change of the step in work after which its other ways are built. */
const RESTS = 700;

let resting: ReturnType<typeof setTimeout> | undefined;

/** The step in work was shown anew: have the others of its ways built, once nothing changes any more. */
export function askWays(ask: (id: string) => void): void {
  clearTimeout(resting);
  useWays.setState({ told: null });
  const id = draftNow()?.id;
  if (id && some(id)) resting = setTimeout(() => draftNow()?.id === id && ask(id), RESTS);
}

/** Whether a step has ways that were not built. */
function some(id: string): boolean {
  const draft = draftNow();
  const figure = draft && toolOf(draft.kind)?.figures.find((f) => f.form === 'sketches');
  const rows = figure && (useStudy.getState().shown.features.get(id)?.facts?.[figure.key] as Sketch[] | undefined);
  return rows?.some((row) => row.over === undefined && row.said === undefined) ?? false;
}

export function receiveWays(told: WaysTold): void {
  if (draftNow()?.id === told.id) useWays.setState({ told });
}

/** The pictures of a step where they stand, with what was told of them since. */
export function together(id: string, rows: Sketch[], told: WaysTold | null): Sketch[] {
  if (told?.id !== id) return rows;
  const now = new Map((told.rows as unknown as Sketch[]).map((row) => [row.name, row]));
  return rows.map((row) => ({ ...row, ...now.get(row.name), chosen: row.chosen }));
}
