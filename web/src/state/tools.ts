import { create } from 'zustand';

import type { EdgeRef, Params, Point, Role } from '../api/types';

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

export interface Repick {
  id: string;
  field: string;
  kind: 'line' | 'face' | 'plane' | 'point';
  /** What is done with a picked line, where it is not simply the new input. */
  take?: (ref: EdgeRef | { feature: string }) => void;
}

export interface Caught {
  words: string;
  at: Point;
}

interface ToolStore {
  stage: Stage;
  tool: Tool;
  draft: Draft | null;
  selection: Selection;
  hover: EdgeRef | { feature: string } | null;
  /** Faces whose CVs are shown. */
  cvsOf: readonly string[];
  dragMode: DragMode;
  /** Distance in mm within which other CVs follow a drag, less and less; 0 for none. */
  falloff: number;
  /** The plane x, y or z = 0 across which CVs are moved mirrored too. */
  mirror: 'x' | 'y' | 'z' | null;
  /** The field of the card that takes the next pick, where several could. */
  asking: string | null;
  dragging: boolean;
  problem: string | null;
  /** Points placed to measure between, while that goes on. */
  measured: readonly Point[] | null;
  /** An input of a kept step that is being picked anew. */
  repick: Repick | null;
  /** What a point that is being placed or moved has caught. */
  caught: Caught | null;
  /** Normal of the face where it was picked last: a true view looks against it. */
  pickedNormal: Point | null;
}

export const useTools = create<ToolStore>(() => ({
  stage: 'blends',
  tool: null,
  draft: null,
  selection: null,
  hover: null,
  cvsOf: [],
  dragMode: 'view',
  falloff: 0,
  mirror: null,
  asking: null,
  dragging: false,
  problem: null,
  measured: null,
  repick: null,
  caught: null,
  pickedNormal: null,
}));

/** Say what a point has caught, when that changes. */
export function setCaught(caught: Caught | null): void {
  const now = useTools.getState().caught;
  if (now?.words !== caught?.words || now?.at.join() !== caught?.at.join()) useTools.setState({ caught });
}
