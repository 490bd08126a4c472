import type { BlendParams, EdgeRef, FeatureSummary, Group, Role } from '../api/types';
import { LISTS, openField, useCatalog, type Field } from './catalog';
import { changeDraft, changeParams, dropDraft, fieldsOf, freeName, newId, showDraft } from './drafts';
import { takePointBack } from './placing';
import { cancelWork, commit, refreshCombs, step, tell } from './session';
import { stepOf, useStudy } from './study';
import { useTools, type Draft, type Repick, type Stage, type Tool } from './tools';
import { useView, type Light } from './view';

const same = (a: EdgeRef, b: EdgeRef) => a.feature === b.feature && a.edge === b.edge;

export function setStage(stage: Stage): void {
  dropDraft();
  useTools.setState({ stage, tool: null, picks: [], problem: null });
}

export function setLight(light: Light): void {
  useView.setState({ light, probe: null });
}

export function startTool(tool: Tool): void {
  const { tool: now, selection } = useTools.getState();
  dropDraft();
  if (now === tool || tool === null) {
    useTools.setState({ tool: null, picks: [], problem: null });
    return;
  }
  const info = useCatalog.getState().tools.get(tool);
  const stage = (info?.stage as Stage | undefined) ?? 'check';
  useTools.setState({ tool, picks: [], problem: null, stage, selection: null, caught: null });
  if (info && tool !== 'edge_blend') useTools.setState({ draft: { id: newId(), kind: tool, name: freeName(info.label), role: info.role, params: {} } });
  if (selection?.kind === 'edge') pickEdge({ feature: selection.id, edge: selection.edge });
  else if (selection?.kind === 'feature') pickFeature(selection.id);
}

/** Ask for another input of a kept step. */
export function startRepick(repick: Repick): void {
  useTools.setState({ repick, hover: null });
}

function repickWith(ref: EdgeRef | { feature: string }, kind: 'line' | 'face' | 'plane'): boolean {
  const { repick } = useTools.getState();
  if (!repick || repick.kind !== kind) return false;
  useTools.setState({ repick: null, hover: null });
  if (repick.take) repick.take(ref);
  else changeParams(repick.id, { [repick.field]: ref }, true);
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
  if (!field) {
    if (plane) tell('This tool takes no plane.');
    return;
  }
  take(draft, field, { feature: id });
}

/** Put a pick into a field; what a list has already is not taken twice. */
function take(draft: Draft, field: Field, ref: EdgeRef | { feature: string }): void {
  useTools.setState({ asking: null });
  if (!LISTS.includes(field.kind)) {
    changeDraft({ [field.name]: ref });
    return;
  }
  const sofar = (draft.params[field.name] as (EdgeRef | { feature: string })[] | undefined) ?? [];
  const there = sofar.some((r) => r.feature === ref.feature && (!('edge' in ref) || ('edge' in r && r.edge === ref.edge)));
  if (!there) changeDraft({ [field.name]: [...sofar, ref] });
}

/** What a tool does with a line that was picked. */
export function pickEdge(edge: EdgeRef): void {
  if (repickWith(edge, 'line')) return;
  const { tool, picks, draft, asking } = useTools.getState();
  if (tool === 'comb') toggleComb(edge.feature, edge.edge);
  if (tool === 'edge_blend') {
    pickForBlend(edge, picks, draft);
    return;
  }
  if (!draft) return;
  useTools.setState({ hover: null });
  const field = openField(fieldsOf(draft.kind), draft.params, ['line', 'lines'], asking);
  if (field) take(draft, field, edge);
}

function pickForBlend(edge: EdgeRef, picks: readonly EdgeRef[], draft: Draft | null): void {
  if (draft) return;
  useTools.setState({ hover: null });
  if (picks.some((p) => same(p, edge))) {
    useTools.setState({ problem: 'The same edge was picked twice: pick a different second edge.' });
    return;
  }
  const first = picks[0];
  if (!first) {
    useTools.setState({ picks: [edge], problem: null });
    return;
  }
  const params: BlendParams = {
    first,
    second: edge,
    continuity: [2, 2],
    fullness: [null, null],
    degree: 5,
    spans: null,
    ends: 'neighbours',
    flip: false,
  };
  const draftOf: Draft = { id: newId(), kind: 'edge_blend', name: freeName('Edge blend'), role: 'secondary', params: { ...params } };
  useTools.setState({ picks: [first, edge], draft: draftOf, problem: null });
  showDraft();
}

/** Esc: the nearest thing that can be let go of. */
export function letGo(): void {
  const { draft, tool, picks, selection, asking } = useTools.getState();
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
  if (draft && takePointBack()) return;
  if (draft) {
    dropDraft();
    if (draft.kind !== 'edge_blend') useTools.setState({ tool: null });
  } else if (picks.length) useTools.setState({ picks: [], problem: null });
  else if (tool) useTools.setState({ tool: null, problem: null });
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

export function selectedFeature(): FeatureSummary | null {
  const { selection } = useTools.getState();
  return useStudy.getState().study?.features.find((f) => selection && f.id === stepOf(selection.id)) ?? null;
}

export function showBefore(on: boolean): void {
  const { before, kept, previewing } = useStudy.getState();
  if (previewing || !before) return;
  useStudy.setState({ shown: on ? before : kept, showBefore: on });
}

export const undo = () => step('undo');
export const redo = () => step('redo');
