import { create } from 'zustand';

import type { EdgeRef, Params, Point, Role } from '../api/types';

export type Stage = 'curves' | 'primaries' | 'blends' | 'check' | 'handover';
/** The kind of a tool of the build, or the comb. */
export type Tool = string | null;
export type DragMode = 'view' | 'plane' | 'x' | 'y' | 'z' | 'normal' | 'leg_u' | 'leg_v';
export type Cv = readonly [number, number];

export type Selection =
  | { kind: 'feature'; id: string }
  | { kind: 'edge'; id: string; edge: string }
  | { kind: 'cvs'; id: string; cvs: readonly Cv[] }
  | null;

/** A step that is being made: shown, but not yet part of the build. */
export interface Draft {
  id: string;
  kind: string;
  name: string;
  role: Role;
  params: Params;
}

interface ToolStore {
  stage: Stage;
  tool: Tool;
  /** Edges picked so far for the tool. */
  picks: readonly EdgeRef[];
  draft: Draft | null;
  selection: Selection;
  hover: EdgeRef | { feature: string } | null;
  /** Faces whose CVs are shown. */
  cvsOf: readonly string[];
  dragMode: DragMode;
  /** Distance in mm within which other CVs follow a drag, less and less; 0 for none. */
  falloff: number;
  dragging: boolean;
  problem: string | null;
  /** Points placed to measure between, while that goes on. */
  measured: readonly Point[] | null;
  /** An input of a kept step that is being picked anew. */
  repick: { id: string; field: string; kind: 'line' | 'face' } | null;
  /** What a point that is being placed would snap to, in words. */
  caught: string | null;
}

export const useTools = create<ToolStore>(() => ({
  stage: 'blends',
  tool: null,
  picks: [],
  draft: null,
  selection: null,
  hover: null,
  cvsOf: [],
  dragMode: 'view',
  falloff: 0,
  dragging: false,
  problem: null,
  measured: null,
  repick: null,
  caught: null,
}));
