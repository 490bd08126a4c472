import type { EdgeRef, FeatureSummary, Group, Params, Point, Role } from '../api/types';
import { fieldsOf, isRef, LISTS, openField, toolOf, type Field } from './catalog';
import { changeDraft, changeParams, dropDraft, freeName, newId, showDraft } from './drafts';
import { nearEnd } from './nearEnd';
import { accepts, takePointBack } from './placing';
import { aboutCrease, cancelWork, commit, endPreview, holeUnder, refreshCombs, refreshLights, reshape, step, tell } from './session';
import { stepOf, useStudy } from './study';
import { keepStage } from './stages';
import { begun, IDLE, stepped, type Draft, type Repick } from './hand';
import { draftNow, hold, note, toolOfHand, useTools, type Stage, type Tool } from './tools';
import { useView, type Light } from './view';

const same = (a: EdgeRef, b: EdgeRef) => a.feature === b.feature && a.edge === b.edge;

/** Another stage shows other tools; what is in work goes on. */
export function setStage(stage: Stage): void {
  useTools.setState({ stage });
  keepStage(stage);
}

export function setLight(light: Light): void {
  useView.setState({ light, probe: null });
  refreshLights();
  // What a step in work would make is lit as well.
  if (light === 'lines' && draftNow()) changeDraft({});
}

/** Start a tool, or let go of it if it is in hand; what is picked already is its first pick. */
export function startTool(tool: Tool): void {
  const { selection } = useTools.getState();
  const now = toolOfHand(useTools.getState());
  dropDraft();
  hold(IDLE);
  if (now === tool || tool === null) return;
  const info = toolOf(tool);
  const stage = (info?.stage as Stage | undefined) ?? useTools.getState().stage;
  keepStage(stage);
  hold(info ? begun({ id: newId(), kind: tool, name: freeName(info.label), role: info.role as Role, params: {} }) : { at: 'combs' });
  useTools.setState({ stage, selection: null });
  if (selection?.kind === 'edge' && accepts('line')) pickEdge({ feature: selection.id, edge: selection.edge });
  else if (selection?.kind === 'feature' && fits(selection.id)) pickFeature(selection.id);
}

/** Whether the tool in hand would take an object now, asked for or not. */
export function fits(id: string): boolean {
  const kind = useStudy.getState().kept.shapes.get(id)?.object.kind;
  if (kind === 'curves') return accepts('line');
  return kind === 'face' || kind === 'plane' ? accepts(kind) : false;
}

/** Ask for another input of a kept step. */
export function startRepick(repick: Repick): void {
  hold({ at: 'repicking', repick });
}

const fieldNamed = ({ id, field }: Repick): Field | undefined => {
  const kind = useStudy.getState().study?.features.find((f) => f.id === id)?.kind;
  return fieldsOf(kind).find((f) => f.name === field);
};

function repickWith(ref: EdgeRef | { feature: string }, kind: 'line' | 'face' | 'plane'): boolean {
  const { hand } = useTools.getState();
  if (hand.at !== 'repicking' || hand.repick.kind !== kind) return false;
  const { repick } = hand;
  hold(IDLE);
  if (repick.take) repick.take(ref);
  else changeParams(repick.id, { [repick.field]: ref, ...nearEnd(fieldNamed(repick), ref) }, true);
  return true;
}

/** A whole object was pointed at: its face, or its first curve. */
export function pickFeature(id: string): void {
  const shape = useStudy.getState().kept.shapes.get(id);
  if (!shape || shape.object.kind === 'mesh') return;
  if (repickWith({ feature: id }, shape.object.kind === 'plane' ? 'plane' : 'face')) return;
  const { hand } = useTools.getState();
  if (shape.object.kind === 'curves') {
    if (hand.at !== 'idle' && shape.edges[0]) pickEdge({ feature: id, edge: shape.edges[0].name });
    return;
  }
  if (hand.at !== 'step') return;
  const { draft, asking } = hand;
  const plane = shape.object.kind === 'plane';
  const field = openField(fieldsOf(draft.kind), draft.params, plane ? ['plane', 'planes'] : ['face', 'faces'], asking);
  if (field) {
    fill(draft, field, { feature: id });
    return;
  }
  const turned = plane ? undefined : fieldsOf(draft.kind).find((f) => f.turns);
  if (turned) {
    const now = draft.params[turned.name] ?? turned.fallback;
    changeDraft({ [turned.name]: turned.choices.find((c) => c !== now) });
  } else tell(`${toolOf(draft.kind)?.label ?? 'This tool'} takes no ${plane ? 'plane' : 'face'} here.`);
}

/** Put a pick into a field; what a list has already is not taken twice. */
function fill(draft: Draft, field: Field, ref: EdgeRef | { feature: string }): void {
  const { hand } = useTools.getState();
  // A list that was asked for goes on asking: what comes next is more of it.
  const goesOn = hand.at === 'step' && hand.asking === field.name;
  note({ asking: null });
  useTools.setState({ hover: null });
  if (!LISTS.includes(field.widget)) {
    const moved = 'edge' in ref ? takenFrom(draft, ref) : {};
    changeDraft({ [field.name]: ref, ...moved, ...nearEnd(field, ref), ...edgesBeside(draft, field.name, ref.feature) });
    return;
  }
  const sofar = (draft.params[field.name] as (EdgeRef | { feature: string })[] | undefined) ?? [];
  const there = sofar.some((r) => r.feature === ref.feature && (!('edge' in ref) || ('edge' in r && r.edge === ref.edge)));
  if (!there) changeDraft({ [field.name]: [...sofar, ref], ...('edge' in ref ? withNeighbours(draft, field.name, ref) : {}) });
  if (goesOn) note({ asking: field.name });
  if (there) return;
  if ('edge' in ref) void takeAbout(draft.id, field.name, ref);
}

/** How far about the ends of an edge faces are taken along, over the size of what is made there. */
const ABOUT = 3;

/** Faces along the whole crease through an edge, and those about its ends, put into the field that takes them. */
async function takeAbout(id: string, edges: string, ref: EdgeRef): Promise<void> {
  const size = (draft: Draft, name: string) => Number(draft.params[name] ?? fieldsOf(draft.kind).find((f) => f.name === name)?.fallback);
  const before = draftNow();
  const field = before && fieldsOf(before.kind).find((f) => f.beside === edges && f.within);
  if (!field) return;
  const facesOf = (draft: Draft) => ((draft.params[field.name] as { feature: string }[] | undefined) ?? []).map((r) => r.feature);
  const offered = facesOf(before);
  const found = await aboutCrease(ref, ABOUT * size(before, field.within));
  // Meanwhile something else may have been taken up, or the edge taken out.
  const now = draftNow();
  const picked = (now?.params[edges] as EdgeRef[] | undefined) ?? [];
  if (now?.id !== id || !picked.some((r) => same(r, ref))) return;
  const sofar = facesOf(now);
  // What was taken out while the answer was on its way stays out.
  const known = [...picked.map((r) => r.feature), ...offered, ...sofar];
  const more = found.filter((face) => !known.includes(face));
  if (more.length) changeDraft({ [field.name]: [...sofar, ...more].map((feature) => ({ feature })) });
}

/** Lists of a step without a line that is wanted elsewhere in it. */
function takenFrom(draft: Draft, ref: EdgeRef): Params {
  const lists = fieldsOf(draft.kind).filter((f) => f.widget === 'lines');
  const changes = lists.map(({ name }) => [name, draft.params[name] as EdgeRef[] | undefined] as const);
  return Object.fromEntries(changes.filter(([, has]) => has?.some((r) => same(r, ref))).map(([name, has]) => [name, has!.filter((r) => !same(r, ref))]));
}

/** Edges of its neighbours along the sides of a face, put into the field that takes them; the longest where there are several. */
function edgesBeside(draft: Draft, face: string, id: string): Params {
  const field = fieldsOf(draft.kind).find((f) => f.beside === face && f.widget === 'lines');
  if (!field || ((draft.params[field.name] as unknown[] | undefined) ?? []).length) return {};
  const sides = new Map<string, { other: EdgeRef; length: number }>();
  for (const { a, b, length } of useStudy.getState().kept.seams)
    for (const [own, other] of [[a, b], [b, a]] as const)
      if (own.feature === id && other.feature !== id && length > (sides.get(own.edge)?.length ?? 0)) sides.set(own.edge, { other, length });
  return sides.size ? { [field.name]: [...sides.values()].map(({ other }) => other) } : {};
}

/** Faces that meet an edge in a seam, and those that meet both faces beside it, as at its ends; put into the field that takes them. */
function withNeighbours(draft: Draft, edges: string, ref: EdgeRef): Params {
  const field = fieldsOf(draft.kind).find((f) => f.beside === edges && f.widget === 'faces');
  if (!field) return {};
  const sofar = (draft.params[field.name] as { feature: string }[] | undefined) ?? [];
  const { seams } = useStudy.getState().kept;
  const meets = (face: string) => seams.flatMap(({ a, b }) => (a.feature === face ? [b.feature] : b.feature === face ? [a.feature] : []));
  const along = seams.flatMap(({ a, b }) => (same(a, ref) ? [b.feature] : same(b, ref) ? [a.feature] : []));
  const across = meets(ref.feature).filter((id) => along.some((other) => meets(other).includes(id)));
  const found = [...along, ...across].filter((id) => id !== ref.feature && !sofar.some((s) => s.feature === id));
  return found.length ? { [field.name]: [...sofar, ...[...new Set(found)].map((feature) => ({ feature }))] } : {};
}

/** What a tool does with a line that was picked. */
export function pickEdge(edge: EdgeRef): void {
  if (repickWith(edge, 'line')) return;
  const { hand } = useTools.getState();
  if (hand.at === 'combs') toggleComb(edge.feature, edge.edge);
  if (hand.at !== 'step') return;
  const { draft, asking } = hand;
  const fields = fieldsOf(draft.kind);
  const field = openField(fields, draft.params, ['line', 'lines'], asking);
  if (!field) {
    tell(`${toolOf(draft.kind)?.label ?? 'This tool'} takes no line here.`);
    return;
  }
  const twin = fields.find((f) => f !== field && f.widget === 'line' && isRef(draft.params[f.name]) && same(draft.params[f.name] as EdgeRef, edge));
  if (twin) {
    note({ problem: field.widget === 'line' ? `The same edge was picked twice: pick another for “${field.title}”.` : `This line is the “${twin.title}” already: pick another for “${field.title}”.` });
    return;
  }
  fill(draft, field, edge);
}

/** The list of a step in work that takes all edges round a hole, as long as no more than one was picked; null for none. */
export function holeField(): string | null {
  const { hand } = useTools.getState();
  if (hand.at !== 'step') return null;
  const { draft, asking } = hand;
  const field = openField(fieldsOf(draft.kind), draft.params, ['line', 'lines'], asking);
  const picked = field && (draft.params[field.name] as unknown[] | undefined);
  return field?.rounds && (picked?.length ?? 0) < 2 ? field.name : null;
}

/** A hole was clicked into: all its edges go into the step in work. */
export async function pickHole(point: Point, way: Point, behind: Point | null): Promise<void> {
  const [id, field] = [draftNow()?.id, holeField()];
  const edges = field ? await holeUnder(point, way, behind) : [];
  // Meanwhile something else may have been taken up.
  if (edges.length && field && draftNow()?.id === id) changeDraft({ [field]: edges });
}

/** Esc: the nearest thing that can be let go of; all of a step in work when it is held, or pressed twice. */
export function letGo(all = false): void {
  const { hand, selection } = useTools.getState();
  if (useStudy.getState().progress !== null) cancelWork();
  else if (hand.at === 'step' && hand.asking) note({ asking: null });
  else if (hand.at === 'step') {
    if (all || !takePointBack()) dropDraft();
  } else if (hand.at !== 'idle') hold(IDLE);
  else if (selection?.kind === 'cvs') useTools.setState({ selection: { kind: 'feature', id: selection.id } });
  else if (selection) useTools.setState({ selection: null });
  else useView.setState({ isolated: null });
}

export function toggleCvs(id: string): void {
  useTools.setState((s) => {
    const on = s.cvsOf.includes(id);
    const away = on && s.selection?.kind === 'cvs' && s.selection.id === id;
    return {
      cvsOf: on ? s.cvsOf.filter((x) => x !== id) : [...s.cvsOf, id],
      selection: away ? { kind: 'feature', id } : s.selection,
    };
  });
}

export function toggleComb(id: string, edge: string): void {
  useView.setState((v) => {
    const on = v.combEdges.some((e) => e.id === id && e.edge === edge);
    const rest = v.combEdges.filter((e) => !(e.id === id && e.edge === edge));
    return { combEdges: on ? rest : [...rest, { id, edge }] };
  });
  refreshCombs();
}

/** Change the list of groups; each is named once. */
export function setGroups(change: (groups: Group[]) => Group[], active?: string | null): void {
  const study = useStudy.getState().study;
  if (!study) return;
  void commit({ op: 'set_groups', groups: change(study.groups), active: active === undefined ? study.active_group : active });
}

export function addGroup(name: string): void {
  const id = newId();
  setGroups((groups) => [...groups, { id, name, role: 'theoretical' }], id);
}

/** Show or hide all of a group in one step. */
export function showGroup(id: string, hidden: boolean): void {
  const inside = useStudy.getState().study?.features.filter((f) => f.group === id) ?? [];
  if (inside.length) void commit({ op: 'set_flags', changes: inside.map((f) => ({ id: f.id, hidden })) });
}

export const setFlags = (id: string, change: { name?: string; on?: boolean; hidden?: boolean; role?: Role; locked?: boolean; group?: string }) =>
  commit({ op: 'set_flags', changes: [{ id, ...change }] });

/** Give a step another place in the build. */
export const moveStep = (id: string, to: number) => commit({ op: 'move_step', id, to });

/** Build and show the steps up to one; all when null. */
export const setMarker = (id: string | null) => commit({ op: 'set_marker', step: id });

export const removeFeatures = (ids: string[]) => commit({ op: 'remove_features', ids });

export function isolate(ids: string[] | null): void {
  useView.setState({ isolated: ids });
}

/** Whether a feature's shape is to be drawn. */
export function isShown(f: Pick<FeatureSummary, 'id' | 'hidden'>, isolated: readonly string[] | null): boolean {
  return isolated ? isolated.includes(f.id) : !f.hidden;
}

/** All faces that are shown, but for those of the step in work. */
export function shownFaces(): { feature: string }[] {
  const { kept, study } = useStudy.getState();
  const { selection } = useTools.getState();
  const { isolated } = useView.getState();
  const mine = draftNow()?.id ?? (selection ? stepOf(selection.id) : null);
  const shown = (id: string) => study?.features.some((f) => f.id === stepOf(id) && isShown(f, isolated)) ?? false;
  return [...kept.shapes.values()].filter((s) => s.object.kind === 'face' && stepOf(s.id) !== mine && shown(s.id)).map((s) => ({ feature: s.id }));
}

export function selectedFeature(): FeatureSummary | null {
  const { selection } = useTools.getState();
  return useStudy.getState().study?.features.find((f) => selection && f.id === stepOf(selection.id)) ?? null;
}

export function showBefore(on: boolean): void {
  const { before, kept, previewing } = useStudy.getState();
  if (previewing || !before) return;
  useStudy.setState({ shown: on ? before : kept, showBefore: on });
}

/** The last change is undone: of the step in work while there is one, which is let go of before its first. */
export async function undo(): Promise<void> {
  if (!draftNow()) await step('undo');
  else if (!stepDraft('undo')) letGo(true);
}

/** What was undone is done again, within the step in work while there is one. */
export async function redo(): Promise<void> {
  if (!draftNow()) await step('redo');
  else stepDraft('redo');
}

/** One change of the step in work back or forward; false where there is none. */
function stepDraft(way: 'undo' | 'redo'): boolean {
  const hand = stepped(useTools.getState().hand, way);
  if (!hand) return false;
  hold(hand);
  endPreview();
  showDraft();
  return true;
}

/** CVs or points of a curve that are picked are deleted, or the last click of a step in work; false if there is neither. */
export function deleteHere(): boolean {
  const { selection } = useTools.getState();
  if (draftNow()) return takePointBack();
  if (selection?.kind !== 'cvs') return false;
  const kind = useStudy.getState().study?.features.find((f) => f.id === selection.id)?.kind;
  if (!toolOf(kind)?.actions.some((a) => a.name === 'delete')) {
    tell('Single CVs cannot be taken out here: change the degree or the spans, or pick the whole to delete it.');
    return true;
  }
  const { id, cvs } = selection;
  void reshape(id, 'delete', cvs.map(([i]) => i)).then((done) => done && useTools.setState({ selection: { kind: 'feature', id } }));
  return true;
}

/** What the picked CVs or points of a curve hang on lets them go. */
export function release(): void {
  const { selection } = useTools.getState();
  const shape = selection?.kind === 'cvs' ? useStudy.getState().kept.shapes.get(selection.id) : undefined;
  if (!shape || selection?.kind !== 'cvs') {
    tell('Pick CVs or points of a curve to release them from what they hang on.');
    return;
  }
  const { points } = shape.object.cvs;
  const at = (i: number): Point => [points[3 * i] ?? 0, points[3 * i + 1] ?? 0, points[3 * i + 2] ?? 0];
  void commit({ op: 'move_cvs', id: selection.id, mirror: null, cvs: selection.cvs.map(([i]) => ({ i, j: 0, to: at(i), on: null, freed: true })) });
}
