import { notifications } from '@mantine/notifications';

import { Link } from '../api/link';
import type { CombWanted, EdgeRef, NamedId, Op, Point, Traced } from '../api/types';
import { loadCatalog } from './catalog';
import { lightsWanted } from './lightLines';
import { measured } from './measured';
import { dropPreview, merged, NO_LIGHTS, receiveCombs, receiveLights, receivePreview, receiveState, useStudy, type Picture } from './study';
import { freshStudy } from './perStudy';
import { openingStage } from './stages';
import { draftNow, note, useTools } from './tools';
import { useView } from './view';
import { askWays, receiveWays } from './ways';

let link: Link | null = null;

/** Say something at the foot of the window. id: by which it is taken back with `untell`. */
export function tell(message: string, good = false, id?: string): void {
  notifications.show({ id, message, color: good ? 'teal' : 'red', autoClose: good ? 3500 : 8000, withBorder: true });
}

export function untell(id: string): void {
  notifications.hide(id);
}

function combsWanted(): CombWanted[] {
  const { combEdges, comb } = useView.getState();
  return combEdges.map((e) => ({ ...e, teeth: comb.teeth }));
}

/** Ask for the combs that are shown, as they are kept. */
export function refreshCombs(): void {
  const wanted = combsWanted();
  if (wanted.length) link?.combs(wanted);
  else useStudy.setState({ combs: [] });
}

/** Ask for the light lines that are shown, as they are kept. */
export function refreshLights(): void {
  const wanted = lightsWanted(true);
  if (wanted) link?.lights(wanted);
  else useStudy.setState({ lights: NO_LIGHTS, lightSeams: [] });
}

export function openStudy(id: string): () => void {
  const catalog = loadCatalog();
  freshStudy();
  useStudy.setState({ id });
  link = new Link(id, {
    combsWanted,
    lightsWanted,
    watched() {
      return [draftNow()?.id, useTools.getState().selection?.id].filter((id) => id !== undefined);
    },
    state(state, frame) {
      const first = useStudy.getState().study === null;
      receiveState(state, frame);
      if (first) void catalog.then(() => {
          if (!draftNow()) useTools.setState({ stage: openingStage(id, useStudy.getState().study?.features ?? []) });
        });
      if (frame.header.said && state.by === state.window) tell(frame.header.said, true);
      tidy();
      refreshCombs();
      refreshLights();
    },
    preview(frame) {
      measured('pamble frame', () => receivePreview(frame));
      note({ problem: draftProblem() });
      askWays((id) => link?.ways(id));
    },
    combs(frame) {
      receiveCombs(frame);
      fitCombs();
    },
    lights(frame) {
      receiveLights(frame);
      const { spacing, height } = frame.header;
      useView.setState(({ lines }) => ({ lines: { ...lines, spacing, height } }));
    },
    ways: receiveWays,
    progress: (progress) => useStudy.setState({ progress }),
    connected: (connected) => useStudy.setState({ connected }),
    gone: (gone) => useStudy.setState({ gone }),
    failed(message, code, wasPreview) {
      if (wasPreview) note({ problem: message });
      else {
        dropPreview();
        tell(message, code === 'cancelled');
      }
    },
  });
  exposeForMeasuring(link);
  const mine = link;
  return () => {
    mine.close();
    if (link === mine) link = null;
  };
}

/** Benchmarks and tests read round trips from here, and do what a hand or a bad line would. */
function exposeForMeasuring(current: Link): void {
  Object.assign(window, { pambleRoundTrips: current.roundTrips, pambleCommit: commit, pamblePreview: preview, pambleDrop: () => current.drop() });
}

function draftProblem(): string | null {
  const draft = draftNow();
  return draft ? (useStudy.getState().shown.features.get(draft.id)?.problem ?? null) : null;
}

/** Tallest tooth of a fitted comb, as a share of the longest edge that has one. */
const TALLEST = 0.14;

/** One scale for all combs, to two digits. */
function fitCombs(): void {
  const { comb } = useView.getState();
  const { combs } = useStudy.getState();
  if (!comb.fitted || !combs.length) return;
  const largest = Math.max(...combs.map((c) => c.largest), 1e-7);
  const longest = Math.max(...combs.map((c) => c.teeth.at(-1) ?? 0));
  const scale = Number(((TALLEST * longest) / (100 * largest)).toPrecision(2));
  useView.setState({ comb: { ...comb, scale } });
}

/** Drop selections and combs of things that are gone. */
function tidy(): void {
  const { kept, study } = useStudy.getState();
  const there = (id: string) => study?.features.some((f) => f.id === id) ?? false;
  const { selection, cvsOf } = useTools.getState();
  useTools.setState({
    selection: selection && there(selection.id) ? selection : null,
    cvsOf: cvsOf.filter((id) => kept.shapes.has(id)),
  });
  useView.setState((v) => ({
    combEdges: v.combEdges.filter((e) => kept.shapes.get(e.id)?.edges.some((x) => x.name === e.edge)),
    isolated: v.isolated?.some(there) ? v.isolated.filter(there) : null,
  }));
}

export function preview(op: Op): void {
  link?.preview(op);
}

/** The part as an operation would make it; nothing is shown. */
export async function pictureOf(op: Op): Promise<Picture> {
  if (!link) throw new Error('No study is open.');
  return merged(useStudy.getState().kept, await link.peek(op));
}

export function endPreview(): void {
  link?.dropPreviews();
  dropPreview();
  refreshCombs();
}

/** Apply an operation for good; false when it failed, in which case the words have been shown. */
export async function commit(op: Op): Promise<boolean> {
  if (!link) return false;
  useStudy.setState({ busy: true });
  try {
    await link.commit(op);
    return true;
  } catch {
    endPreview();
    return false;
  } finally {
    useStudy.setState({ busy: false });
  }
}

/** A named change of a whole curve. */
export const reshape = (id: string, action: string, cvs: number[] = [], value: number | null = null): Promise<boolean> =>
  commit({ op: 'reshape', id, action, cvs, value });

export async function step(type: 'undo' | 'redo'): Promise<void> {
  const { canUndo, canRedo } = useStudy.getState();
  if (type === 'undo' ? !canUndo : !canRedo) return;
  await link?.step(type).catch(() => undefined);
}

/** The exact place nearest to one that was seen; the one that was seen if the server cannot say. */
export async function locate(id: string, edge: string | null, point: Point): Promise<{ point: Point; at: number | null }> {
  try {
    if (link) return await link.locate(id, edge, point);
  } catch {
    // A line that has just gone: the place that was seen is still where the hand pointed.
  }
  return { point, at: null };
}

/** Stop what takes long. */
export const cancelWork = (): void => link?.cancel();

export const dependents = async (ids: string[]): Promise<NamedId[]> => (link ? link.dependents(ids) : []);

/** Why a seam is not quiet; null where the server cannot say. */
export const why = async (key: string): Promise<Traced | null> => (link ? link.why(key).catch(() => null) : null);

/** All edges round the hole that an edge borders; none where there is no hole, which has been said. */
export async function roundHole({ feature, edge }: EdgeRef): Promise<EdgeRef[]> {
  try {
    return link ? ((await link.round(feature, edge)) as EdgeRef[]) : [];
  } catch {
    return [];
  }
}

/** The faces that a step along a crease may have to cut; none where the server cannot say. */
export async function aboutCrease({ feature, edge }: EdgeRef, within: number): Promise<string[]> {
  try {
    return link ? await link.aboutCrease(feature, edge, within) : [];
  } catch {
    return [];
  }
}

/** All edges round the hole that one looks into; none where there is no hole, which has been said. */
export async function holeUnder(point: Point, way: Point, behind: Point | null): Promise<EdgeRef[]> {
  try {
    return link ? ((await link.holeUnder(point, way, behind)) as EdgeRef[]) : [];
  } catch {
    return [];
  }
}

let probing = false;

/** Exact figures under the pointer; while one question is out, others are passed over. */
export async function probe(id: string, u: number, v: number, x: number, y: number): Promise<void> {
  if (probing || !link) return;
  probing = true;
  try {
    const answer = await link.probe(id, u, v);
    useView.setState({ probe: { ...answer, x, y } });
  } catch {
    useView.setState({ probe: null });
  } finally {
    probing = false;
  }
}
