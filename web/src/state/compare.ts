import { createPerStudy } from './perStudy';
import { pictureOf } from './session';
import { useStudy, type Picture } from './study';

/** A state of the part under a name, to be seen again beside another. */
export interface Moment {
  name: string;
  picture: Picture;
}

interface CompareStore {
  /** How the part is seen beside another state of itself: parted by a line, or one next to the other. */
  mode: 'off' | 'wipe' | 'side';
  other: Moment | null;
  /** Where the line stands, as a share of the window's width; the other state lies left of it. */
  at: number;
  moments: readonly Moment[];
}

const NOTHING: CompareStore = { mode: 'off', other: null, at: 0.5, moments: [] };

export const useCompare = createPerStudy(NOTHING);

/** See the part beside a moment; beside the state before the last change if none is named. */
export function compareWith(other: Moment | null, mode: 'wipe' | 'side'): boolean {
  const { before } = useStudy.getState();
  const chosen = other ?? (before && { name: 'before the last change', picture: before });
  if (!chosen) return false;
  useCompare.setState({ mode, other: chosen });
  return true;
}

/** The part as it was when the build ended with a step. */
export async function momentAfter(step: string, name: string): Promise<Moment> {
  return { name: `after ${name}`, picture: await pictureOf({ op: 'set_marker', step }) };
}

/** Keep the part as it is now, under a name, as long as the window is open. */
export function keepMoment(): Moment {
  const { kept, version } = useStudy.getState();
  const moment = { name: `step ${version}`, picture: kept };
  useCompare.setState((c) => ({ moments: [...c.moments.filter((m) => m.name !== moment.name), moment] }));
  return moment;
}

export const endCompare = (): void => useCompare.setState({ mode: 'off', other: null });
