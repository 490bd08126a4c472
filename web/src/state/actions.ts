import type { EdgeRef, FeatureSummary, Group, Params, Point, Role } from '../api/types';
import { fieldsOf, isRef, LISTS, openField, toolOf, type Field } from './catalog';
import { changeDraft, changeParams, dropDraft, freeName, newId } from './drafts';
import { nearEnd } from './nearEnd';
import { accepts, takePointBack } from './placing';
import { cancelWork, commit, refreshCombs, refreshLights, reshape, step, tell } from './session';
import { stepOf, useStudy } from './study';
import { keepStage } from './stages';
import { COMBS, useTools, type Draft, type Repick, type Stage, type Tool } from './tools';
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
  if (light === 'lines' && useTools.getState().draft) changeDraft({});
}

/** Start a tool, or let go of it if it is in hand; what is picked already is its first pick. */
export function startTool(tool: Tool): void {
  const { tool: now, selection } = useTools.getState();
  dropDraft();
  if (now === tool || tool === null) {
    useTools.setState({ tool: null, problem: null });
    return;
  }
  const info = toolOf(tool);
  const stage = (info?.stage as Stage | undefined) ?? useTools.getState().stage;
  const draft: Draft | null = info ? { id: newId(), kind: tool, name: freeName(info.label), role: info.role as Role, params: {} } : null;
  keepStage(stage);
  useTools.setState({ tool, draft, problem: null, stage, selection: null, caught: null, asking: null });
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
  useTools.setState({ repick, hover: null });
}

const fieldNamed = ({ id, field }: Repick): Field | undefined => {
  const { draft } = useTools.getState();
  const kind = draft?.id === id ? draft.kind : useStudy.getState().study?.features.find((f) => f.id === id)?.kind;
  return fieldsOf(kind).find((f) => f.name === field);
};

function repickWith(ref: EdgeRef | { feature: string }, kind: 'line' | 'face' | 'plane'): boolean {
  const { repick } = useTools.getState();
  if (!repick || repick.kind !== kind) return false;
  useTools.setState({ repick: null, hover: null });
  if (repick.take) repick.take(ref);
  else changeParams(repick.id, { [repick.field]: ref, ...nearEnd(fieldNamed(repick), ref) }, true);
  return true;
}

/** A whole object was pointed at: its face, or its first curve. */
export function pickFeature(id: string): void {
  const shape = useStudy.getState().kept.shapes.get(id);
  if (!shape || shape.object.kind === 'mesh') return;
  if (repickWith({ feature: id }, shape.object.kind === 'plane' ? 'plane' : 'face')) return;
  const { draft, tool, repick, asking } = useTools.getState();
  if (shape.object.kind === 'curves') {
    if ((tool || repick) && shape.edges[0]) pickEdge({ feature: id, edge: shape.edges[0].name });
    return;
  }
  if (!draft) return;
  const plane = shape.object.kind === 'plane';
  const field = openField(fieldsOf(draft.kind), draft.params, plane ? ['plane', 'planes'] : ['face', 'faces'], asking);
  if (field) {
    take(draft, field, { feature: id });
    return;
  }
  const turned = plane ? undefined : fieldsOf(draft.kind).find((f) => f.turns);
  if (turned) {
    const now = draft.params[turned.name] ?? turned.fallback;
    changeDraft({ [turned.name]: turned.choices.find((c) => c !== now) });
  } else tell(`${toolOf(draft.kind)?.label ?? 'This tool'} takes no ${plane ? 'plane' : 'face'} here.`);
}

/** Put a pick into a field; what a list has already is not taken twice. */
function take(draft: Draft, field: Field, ref: EdgeRef | { feature: string }): void {
  useTools.setState({ asking: null, hover: null });
  if (!LISTS.includes(field.widget)) {
    changeDraft({ [field.name]: ref, ...nearEnd(field, ref) });
    return;
  }
  const sofar = (draft.params[field.name] as (EdgeRef | { feature: string })[] | undefined) ?? [];
  const there = sofar.some((r) => r.feature === ref.feature && (!('edge' in ref) || ('edge' in r && r.edge === ref.edge)));
  if (!there) changeDraft({ [field.name]: [...sofar, ref], ...('edge' in ref ? withNeighbours(draft, field.name, ref) : {}) });
}

/** Faces that meet an edge in a seam, put into the field that takes them; nothing where there is no such field. */
function withNeighbours(draft: Draft, edges: string, ref: EdgeRef): Params {
  const field = fieldsOf(draft.kind).find((f) => f.beside === edges);
  if (!field) return {};
  const sofar = (draft.params[field.name] as { feature: string }[] | undefined) ?? [];
  const found = useStudy
    .getState()
    .kept.seams.flatMap(({ a, b }) => (same(a, ref) ? [b.feature] : same(b, ref) ? [a.feature] : []))
    .filter((id) => id !== ref.feature && !sofar.some((s) => s.feature === id));
  return found.length ? { [field.name]: [...sofar, ...[...new Set(found)].map((feature) => ({ feature }))] } : {};
}

/** What a tool does with a line that was picked. */
export function pickEdge(edge: EdgeRef): void {
  if (repickWith(edge, 'line')) return;
  const { tool, draft, asking } = useTools.getState();
  if (tool === COMBS) toggleComb(edge.feature, edge.edge);
  if (!draft) return;
  const fields = fieldsOf(draft.kind);
  const field = openField(fields, draft.params, ['line', 'lines'], asking);
  if (!field) {
    tell(`${toolOf(draft.kind)?.label ?? 'This tool'} takes no line here.`);
    return;
  }
  const twin = fields.find((f) => f !== field && f.widget === 'line' && isRef(draft.params[f.name]) && same(draft.params[f.name] as EdgeRef, edge));
  if (twin && field.widget === 'line') {
    useTools.setState({ problem: `The same edge was picked twice: pick another for “${field.title}”.` });
    return;
  }
  take(draft, field, edge);
}

/** Esc: the nearest thing that can be let go of; all of a step in work when it is held, or pressed twice. */
export function letGo(all = false): void {
  const { draft, tool, selection, asking } = useTools.getState();
  if (useStudy.getState().progress !== null) {
    cancelWork();
    return;
  }
  if (asking) {
    useTools.setState({ asking: null });
    return;
  }
  if (useTools.getState().repick || useTools.getState().measured) {
    useTools.setState({ repick: null, measured: null });
    return;
  }
  if (draft && !all && takePointBack()) return;
  if (draft) {
    dropDraft();
    useTools.setState({ tool: null });
  } else if (tool) useTools.setState({ tool: null, problem: null });
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
  const { draft, selection } = useTools.getState();
  const { isolated } = useView.getState();
  const mine = draft?.id ?? (selection ? stepOf(selection.id) : null);
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

/** The last change is undone; of a step that is drawn by clicks, the last click. */
export async function undo(): Promise<void> {
  const { draft } = useTools.getState();
  if (!draft) await step('undo');
  else if (!takePointBack()) letGo(true);
}

/** CVs or points of a curve that are picked are deleted, or the last click of a step in work; false if there is neither. */
export function deleteHere(): boolean {
  const { draft, selection } = useTools.getState();
  if (draft) return takePointBack();
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

export const redo = () => step('redo');
