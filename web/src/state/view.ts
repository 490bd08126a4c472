import { create } from 'zustand';
import { persist } from 'zustand/middleware';

import type { LightsWanted, Point } from '../api/types';
import { beginsAnew } from './perStudy';

export type Light = 'clay' | 'zebra' | 'curvature' | 'lines';
export type CurvatureKind = 'gauss' | 'mean' | 'largest' | 'smallest' | 'radius';
export type StripFigure = 'gap' | 'angle' | 'curvature';

export interface ZebraSettings {
  fixedTo: 'part' | 'viewer';
  /** Number of stripe pairs over a half turn of the reflection: more means narrower. */
  bands: number;
  /** Degrees. */
  direction: number;
}

export interface CurvatureSettings {
  kind: CurvatureKind;
  fitted: boolean;
  low: number;
  high: number;
}

/** Banks of lights, whose lines are curves on the surfaces. */
export interface LightLineSettings {
  kind: LightsWanted['kind'];
  /** The direction the lights stand in. */
  toward: Point;
  /** Degrees by which they are turned in their plane. */
  turn: number;
  eye: Point;
  /** Whether distance and height are found for the part. */
  fitted: boolean;
  spacing: number;
  height: number;
}

export interface CombSettings {
  teeth: number;
  /** Whether the scale is chosen so that the tallest tooth can be read. */
  fitted: boolean;
  /** Length in mm of a tooth where the curvature is 1/100 mm. */
  scale: number;
}

export interface ProbeReading {
  id: string;
  x: number;
  y: number;
  gauss: number | null;
  mean: number | null;
  largest: number | null;
  smallest: number | null;
  radius: number | null;
}

/** Where drawing happens: a principal plane at an offset, the one that faces the view most, or the plane of a step. */
export interface WorkingPlane {
  axis: 'auto' | 'x' | 'y' | 'z';
  offset: number;
  step: string | null;
}

/** What a point that is placed or moved may catch. */
export interface Catching {
  /** Whether anything is caught; Alt turns it round while it is held. */
  on: boolean;
  points: boolean;
  lines: boolean;
  faces: boolean;
  meshes: boolean;
  planes: boolean;
  /** Whether what is caught is dropped square onto the working plane. */
  dropped: boolean;
}

interface ViewStore {
  plane: WorkingPlane;
  catching: Catching;
  /** Whether reference pictures are shown. */
  pictures: boolean;
  light: Light;
  zebra: ZebraSettings;
  curvature: CurvatureSettings;
  lines: LightLineSettings;
  comb: CombSettings;
  combEdges: { id: string; edge: string }[];
  isolated: readonly string[] | null;
  activeSeam: string | null;
  stripFigure: StripFigure;
  /** Row of the active seam's plot that the strip points at. */
  stripRow: number | null;
  probe: ProbeReading | null;
  panels: { build: boolean; card: boolean; ledger: boolean };
  /** Whether the build stands on the right and the card on the left. */
  swapped: boolean;
  /** How the steps are listed: in the order of the build, or by role and group. */
  buildOrder: 'build' | 'role';
}

/** What lasts from one visit to the next. */
const lasting = ({ catching, swapped, buildOrder }: ViewStore) => ({ catching, swapped, buildOrder });
/** What a visit takes from one study to the next. */
const kept = (view: ViewStore) => ({ ...lasting(view), panels: view.panels });

export const useView = create<ViewStore>()(persist((): ViewStore => ({
  plane: { axis: 'auto', offset: 0, step: null },
  catching: { on: false, points: true, lines: true, faces: false, meshes: false, planes: false, dropped: false },
  pictures: true,
  light: 'clay',
  zebra: { fixedTo: 'viewer', bands: 14, direction: 90 },
  curvature: { kind: 'mean', fitted: true, low: -0.01, high: 0.01 },
  lines: { kind: 'highlight', toward: [0, 0, 1], turn: 0, eye: [0, 0, 1], fitted: true, spacing: 10, height: 1000 },
  comb: { teeth: 60, fitted: true, scale: 20 },
  combEdges: [],
  isolated: null,
  activeSeam: null,
  stripFigure: 'curvature',
  stripRow: null,
  probe: null,
  panels: { build: true, card: true, ledger: true },
  swapped: false,
  buildOrder: 'build',
}), { name: 'pamble.view', partialize: lasting }));
beginsAnew(useView, kept);

/** Where the window looks from, for numbers that are taken from the view; the drawing puts it here. */
export const eye: { direction(): Point } = { direction: () => [0, 0, 1] };

/** Points catch what is near, or no longer. */
export function toggleCatching(): void {
  useView.setState(({ catching }) => ({ catching: { ...catching, on: !catching.on } }));
}

export function togglePanels(): void {
  useView.setState(({ panels }) => {
    const on = !(panels.build || panels.card || panels.ledger);
    return { panels: { build: on, card: on, ledger: on } };
  });
}
