import { toolOf } from './catalog';
import { createPerStudy } from './perStudy';
import { slice, type Frame } from '../api/frame';
import type { CombsHeader, FeatureSummary, FrameComb, FrameFeature, FrameHeader, FrameLight, FrameObject, FrameSeam, LightSeam, LightsHeader, StudyState, StudySummary } from '../api/types';

/** A shape as the scene shows it. */
export interface Shape {
  id: string;
  object: FrameObject;
  vertices: Float32Array;
  /** Numbers of vertices, three for each triangle; null where the vertices are a grid. */
  triangles: Float32Array | null;
  edges: { name: string; points: Float32Array }[];
  isos: Float32Array[];
}

/** Whether a shape is curves alone, without a face. */
export const isCurve = (shape: Shape): boolean => shape.object.kind === 'curves';

export interface SeamLine extends Omit<FrameSeam, 'plot'> {
  /** Rows of 7: length, gap, angle, curvature, x, y, z. */
  plot: Float32Array;
}

export interface CombLine extends Omit<FrameComb, 'teeth'> {
  /** Rows of 8: point, tooth, curvature, length. */
  teeth: Float32Array;
}

/** Shapes and figures: once as kept, once as shown, which differ while something is previewed. */
export interface Picture {
  shapes: ReadonlyMap<string, Shape>;
  features: ReadonlyMap<string, FrameFeature>;
  /** Worst first. */
  seams: readonly SeamLine[];
}

export type LightLines = ReadonlyMap<string, Float32Array>;

interface StudyStore {
  id: string | null;
  study: StudySummary | null;
  version: number;
  canUndo: boolean;
  canRedo: boolean;
  connected: boolean;
  /** Whether a change is on its way into the store. */
  busy: boolean;
  kept: Picture;
  shown: Picture;
  previewing: boolean;
  /** How far long work is, 0 to 1; null while there is none. */
  progress: number | null;
  /** Why the study cannot be opened. */
  gone: string | null;
  combs: readonly CombLine[];
  /** Light lines as kept, and as shown while something is previewed: straight pieces by object, two points each. */
  lights: { kept: LightLines; shown: LightLines };
  /** What light lines do at seams, as kept; those that break them most first. */
  lightSeams: readonly LightSeam[];
  /** Shapes before the last change, for the before-and-after key. */
  before: Picture | null;
  showBefore: boolean;
}

const EMPTY: Picture = { shapes: new Map(), features: new Map(), seams: [] };
export const NO_LIGHTS: { kept: LightLines; shown: LightLines } = { kept: new Map(), shown: new Map() };
const BLANK: StudyStore = {
  id: null,
  study: null,
  version: 0,
  canUndo: false,
  canRedo: false,
  connected: false,
  busy: false,
  kept: EMPTY,
  shown: EMPTY,
  previewing: false,
  progress: null,
  gone: null,
  combs: [],
  lights: NO_LIGHTS,
  lightSeams: [],
  before: null,
  showBefore: false,
};

export const useStudy = createPerStudy(BLANK);

function readShape(object: FrameObject, floats: Float32Array): Shape {
  return {
    id: object.id,
    object,
    vertices: slice(floats, object.vertices),
    triangles: object.triangles && slice(floats, object.triangles),
    edges: object.edges.map((e) => ({ name: e.name, points: slice(floats, e.points) })),
    isos: object.isos.map((place) => slice(floats, place)),
  };
}

/** A frame tells only what changed: the rest is as it was. */
export function merged(base: Picture, { header, floats }: Frame<FrameHeader>): Picture {
  const shapes = new Map(header.whole ? [] : base.shapes);
  for (const id of header.removed) shapes.delete(id);
  for (const object of header.objects) shapes.set(object.id, readShape(object, floats));
  const features = new Map(header.whole ? [] : base.features);
  for (const feature of header.features) features.set(feature.id, feature);
  const seams = new Map(header.whole ? [] : base.seams.map((s) => [s.key, s]));
  for (const s of header.seams) seams.set(s.key, { ...s, plot: slice(floats, s.plot) });
  return { shapes, features, seams: header.order.flatMap((key) => seams.get(key) ?? []) };
}

const readCombs = (combs: FrameComb[], floats: Float32Array): CombLine[] =>
  combs.map((c) => ({ ...c, teeth: slice(floats, c.teeth) }));

function readLights(base: LightLines, lights: FrameLight[], floats: Float32Array): LightLines {
  if (!lights.length) return base;
  const out = new Map(base);
  for (const l of lights) out.set(l.id, slice(floats, l.segments));
  return out;
}

export function receiveState(state: StudyState, frame: Frame<FrameHeader>): void {
  useStudy.setState((s) => {
    const kept = merged(s.kept, frame);
    return {
      study: state.study,
      version: state.version,
      canUndo: state.can_undo,
      canRedo: state.can_redo,
      kept,
      shown: kept,
      previewing: false,
      before: state.reason === 'opened' || state.reason === 'reload' ? null : s.kept,
      showBefore: false,
    };
  });
}

export function receivePreview(frame: Frame<FrameHeader>): void {
  useStudy.setState((s) => ({
    shown: merged(s.kept, frame),
    previewing: true,
    lights: { kept: s.lights.kept, shown: readLights(s.lights.kept, frame.header.lights, frame.floats) },
    combs: frame.header.combs.length ? readCombs(frame.header.combs, frame.floats) : s.combs,
  }));
}

export function receiveCombs(frame: Frame<CombsHeader>): void {
  useStudy.setState({ combs: readCombs(frame.header.combs, frame.floats) });
}

export function receiveLights({ header, floats }: Frame<LightsHeader>): void {
  const kept = readLights(new Map(), header.lights, floats);
  useStudy.setState({ lights: { kept, shown: kept }, lightSeams: header.seams });
}

/** Back to what is kept. */
export function dropPreview(): void {
  useStudy.setState((s) => ({ shown: s.kept, lights: { kept: s.lights.kept, shown: s.lights.kept }, previewing: false }));
}

/** The step that made an object, which may make several. */
export const stepOf = (object: string): string => object.split('/', 1)[0] ?? object;

/** The step that made an object, as the study has it. */
export const stepOfObject = (object: string): FeatureSummary | undefined => useStudy.getState().study?.features.find((f) => f.id === stepOf(object));

export function featureName(object: string): string {
  const name = stepOfObject(object)?.name ?? 'New step';
  const slot = object.split('/')[1];
  return slot ? `${name}, piece ${slot}` : name;
}

/** The steps of a study that make planes. */
export const planeSteps = (features: readonly FeatureSummary[] | undefined): FeatureSummary[] => features?.filter((f) => toolOf(f.kind)?.makes === 'plane') ?? [];
