import type { EdgeRef, Point } from '../api/types';
import { createPerStudy } from './perStudy';
import { IDLE, type Draft, type Hand } from './hand';

export type Stage = 'plan' | 'curves' | 'primaries' | 'blends' | 'corners' | 'check' | 'handover';
/** The kind of a tool of the build, or the window's own that shows combs on picked lines. */
export type Tool = string | null;
export const COMBS = 'combs on lines';
export type DragMode = 'view' | 'plane' | 'x' | 'y' | 'z' | 'plane_x' | 'plane_y' | 'normal' | 'leg_u' | 'leg_v' | 'offset';
export type Cv = readonly [number, number];

export type Selection =
  | { kind: 'feature'; id: string }
  | { kind: 'edge'; id: string; edge: string }
  | { kind: 'cvs'; id: string; cvs: readonly Cv[]; others?: readonly { id: string; cv: number }[] }
  | null;

export interface Caught {
  words: string;
  at: Point;
}

interface ToolStore {
  stage: Stage;
  hand: Hand;
  selection: Selection;
  hover: EdgeRef | { feature: string } | null;
  /** Faces whose CVs are shown. */
  cvsOf: readonly string[];
  dragMode: DragMode;
  /** Distance in mm within which other CVs follow a drag, less and less; 0 for none. */
  falloff: number;
  /** The plane x, y or z = 0 across which CVs are moved mirrored too. */
  mirror: 'x' | 'y' | 'z' | null;
  dragging: boolean;
  /** What a point that is being placed or moved has caught. */
  caught: Caught | null;
  /** Normal of the face where it was picked last: a true view looks against it. */
  pickedNormal: Point | null;
}

const FRESH: ToolStore = {
  stage: 'blends',
  hand: IDLE,
  selection: null,
  hover: null,
  cvsOf: [],
  dragMode: 'view',
  falloff: 0,
  mirror: null,
  dragging: false,
  caught: null,
  pickedNormal: null,
};

export const useTools = createPerStudy(FRESH);

/** The step in work. */
export const draftOf = ({ hand }: { hand: Hand }): Draft | null => (hand.at === 'step' ? hand.draft : null);
export const draftNow = (): Draft | null => draftOf(useTools.getState());

/** The tool in hand. */
export const toolOfHand = ({ hand }: { hand: Hand }): Tool => (hand.at === 'step' ? hand.draft.kind : hand.at === 'combs' ? COMBS : null);

/** What the step in work has to say; without one, nothing. */
export const problemOf = ({ hand }: { hand: Hand }): string | null => (hand.at === 'step' ? hand.problem : null);

/** Another thing in hand; what the last one had caught or pointed at is gone. */
export const hold = (hand: Hand): void => useTools.setState({ hand, hover: null, caught: null });

/** Change what is asked or said of the step in work. */
export const note = (change: { asking?: string | null; problem?: string | null }): void =>
  useTools.setState(({ hand }) => (hand.at === 'step' ? { hand: { ...hand, ...change } } : {}));

/** Pick something of the part or the build; combs are let go of. */
export const select = (selection: Selection): void => useTools.setState(({ hand }) => ({ selection, hand: hand.at === 'combs' ? IDLE : hand }));

/** Say what a point has caught, when that changes. */
export function setCaught(caught: Caught | null): void {
  const now = useTools.getState().caught;
  if (now?.words !== caught?.words || now?.at.join() !== caught?.at.join()) useTools.setState({ caught });
}
