import type { Point } from '../api/types';
import { changeParams } from './drafts';
import { fieldBy } from './catalog';
import { useStudy } from './study';
import { tell } from './session';
import { draftNow, note, useTools } from './tools';

/** How a region of a face is named; the window hands it back as it came. */
export interface RegionPick {
  feature: string;
  at: [number, number];
  sides: Record<string, number>;
}

/** A region that a trim has found. */
export interface Region {
  point: Point;
  pick: RegionPick;
  kept: boolean;
}

/** What stands before a shape that is drawn as it was before the step in work. */
export const GHOST = 'ghost:';

/** The step whose regions can be chosen now, the name of the parameter that holds the choice, and the regions. */
export function openRegions(): { id: string; field: string; regions: readonly Region[] } | null {
  const { selection } = useTools.getState();
  const draft = draftNow();
  const id = draft?.id ?? (selection?.kind === 'feature' ? selection.id : null);
  if (!id) return null;
  const kind = draft?.kind ?? useStudy.getState().study?.features.find((f) => f.id === id)?.kind;
  const field = fieldBy(kind, 'regions');
  const regions = useStudy.getState().shown.features.get(id)?.facts.regions as Region[] | undefined;
  return field && regions ? { id, field: field.name, regions } : null;
}

/** At the step in work, or as a notice where a kept step is changed. */
const say = (problem: string): void => (draftNow() ? note({ problem }) : tell(problem));

/** Keep a region or let it go. The last one of a face stays: a face is not cut away whole by a click. */
export function toggleRegion(index: number): void {
  const open = openRegions();
  const region = open?.regions[index];
  if (!open || !region) return;
  const kept = open.regions.filter((r, i) => (i === index ? !r.kept : r.kept));
  if (!kept.some((r) => r.pick.feature === region.pick.feature)) {
    say('Something of the face is kept: keep another region first.');
    return;
  }
  changeParams(open.id, { [open.field]: kept.map((r) => r.pick) }, true);
}

/** A click on a part while regions are open: what was cut away comes back. True if the click was used. */
export function regionClicked(hit: { id: string; u: number; v: number }): boolean {
  if (!hit.id.startsWith(GHOST)) return false;
  const open = openRegions();
  const feature = hit.id.slice(GHOST.length);
  if (!open) return true;
  const dropped = open.regions.map((r, i) => ({ r, i })).filter(({ r }) => r.pick.feature === feature && !r.kept);
  if (dropped.length === 1 && dropped[0]) toggleRegion(dropped[0].i);
  else if (dropped.length) say('Several regions lie there: click the mark of the one to keep.');
  return true;
}
