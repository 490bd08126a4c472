import { create } from 'zustand';

import type { BlendParams, EdgeRef } from '../api/types';

export type Stage = 'primaries' | 'blends' | 'check' | 'handover';
export type Tool = 'edge_blend' | 'comb' | null;
export type DragMode = 'view' | 'x' | 'y' | 'z' | 'normal' | 'leg_u' | 'leg_v';
export type Cv = readonly [number, number];

export type Selection =
  | { kind: 'feature'; id: string }
  | { kind: 'edge'; id: string; edge: string }
  | { kind: 'cvs'; id: string; cvs: readonly Cv[] }
  | null;

/** A blend that is being made: shown, but not yet part of the build. */
export interface Draft {
  id: string;
  name: string;
  params: BlendParams;
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
  dragging: boolean;
  problem: string | null;
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
  dragging: false,
  problem: null,
}));
