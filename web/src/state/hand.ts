import type { EdgeRef, Params, Point, Role } from '../api/types';

export type Axis = 'x' | 'y' | 'z';

/** A step that is being made: shown, but not yet part of the build. axis: what the plane is square to in which it was begun. */
export interface Draft {
  id: string;
  kind: string;
  name: string;
  role: Role;
  params: Params;
  axis?: Axis;
}

/** An input of a kept step that is picked anew. */
export interface Repick {
  id: string;
  field: string;
  kind: 'line' | 'face' | 'plane' | 'point';
  /** What is done with a pick, where it is not simply the new input. */
  take?: (ref: EdgeRef | { feature: string }) => void;
}

/** What the hand is at: one thing at a time. */
export type Hand =
  | { at: 'idle' }
  /** Lines are picked that show their comb. */
  | { at: 'combs' }
  /** A step is in work. asking: the field that takes the next pick where several could; problem: what keeps the step from being kept. */
  | { at: 'step'; draft: Draft; asking: string | null; problem: string | null; past: Past }
  | { at: 'repicking'; repick: Repick }
  /** Points are placed to measure between. */
  | { at: 'measuring'; points: readonly Point[] };

/** What can be undone and done again within a step in work. settled: its parameters at the last change that was no mere drag. */
export interface Past {
  settled: Params;
  undone: readonly Params[];
  done: readonly Params[];
}

export const IDLE: Hand = { at: 'idle' };

/** A step taken in hand. */
export const begun = (draft: Draft): Hand => ({ at: 'step', draft, asking: null, problem: null, past: { settled: draft.params, undone: [], done: [] } });

/** A step in work with other parameters. final: whether the change counts as one that can be undone, or goes on. */
export function changed(hand: Hand, params: Params, final: boolean): Hand {
  if (hand.at !== 'step') return hand;
  const { settled, done } = hand.past;
  const same = JSON.stringify(settled) === JSON.stringify(params);
  const past = final && !same ? { settled: params, done: [...done, settled], undone: [] } : hand.past;
  return { ...hand, draft: { ...hand.draft, params }, problem: null, past };
}

/** One change back, or forward again; null where there is none. */
export function stepped(hand: Hand, way: 'undo' | 'redo'): Hand | null {
  if (hand.at !== 'step') return null;
  const { settled, done, undone } = hand.past;
  const params = (way === 'undo' ? done : undone).at(-1);
  if (!params) return null;
  const past =
    way === 'undo' ? { settled: params, done: done.slice(0, -1), undone: [...undone, settled] } : { settled: params, done: [...done, settled], undone: undone.slice(0, -1) };
  const { axis, ...draft } = hand.draft;
  // A step whose first point is taken back may begin in another plane.
  return { ...hand, draft: { ...draft, params, ...(axis && past.done.length ? { axis } : {}) }, asking: null, problem: null, past };
}
