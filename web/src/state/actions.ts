import type { BlendParams, EdgeRef, FeatureSummary, Group, Op, Params, Point, Role } from '../api/types';
import { complete, openField, useCatalog } from './catalog';
import { commit, endPreview, preview, refreshCombs, step, tell } from './session';
import { useStudy } from './study';
import { useTools, type Draft, type Stage, type Tool } from './tools';
import { useView, type Light } from './view';

const same = (a: EdgeRef, b: EdgeRef) => a.feature === b.feature && a.edge === b.edge;

const newId = (): string => crypto.randomUUID().replaceAll('-', '').slice(0, 12);

/** A name that no feature has yet. */
export function freeName(wanted: string): string {
  const taken = new Set(useStudy.getState().study?.features.map((f) => f.name));
  if (!taken.has(wanted)) return wanted;
  for (let i = 2; ; i++) if (!taken.has(`${wanted} ${i}`)) return `${wanted} ${i}`;
}

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
export function startRepick(id: string, field: string, kind: 'line' | 'face'): void {
  useTools.setState({ repick: { id, field, kind }, hover: null });
}

function repickWith(ref: EdgeRef | { feature: string }, kind: 'line' | 'face'): boolean {
  const { repick } = useTools.getState();
  if (!repick || repick.kind !== kind) return false;
  useTools.setState({ repick: null, hover: null });
  changeParams(repick.id, { [repick.field]: ref }, true);
  return true;
}

const fieldsOf = (kind: string) => useCatalog.getState().fields.get(kind) ?? [];

/** A whole object was pointed at: its face, or its first curve. */
export function pickFeature(id: string): void {
  if (repickWith({ feature: id }, 'face')) return;
  const shape = useStudy.getState().kept.shapes.get(id);
  if (!shape) return;
  const { draft, tool } = useTools.getState();
  if (shape.object.kind === 'mesh') return;
  if (shape.object.kind === 'curves') {
    if (tool && shape.edges[0]) pickEdge({ feature: id, edge: shape.edges[0].name });
    return;
  }
  if (!draft) return;
  const field = openField(fieldsOf(draft.kind), draft.params, ['face']);
  if (field) changeDraft({ [field.name]: { feature: id } });
}

/** What a tool does with a line that was picked. */
export function pickEdge(edge: EdgeRef): void {
  if (repickWith(edge, 'line')) return;
  const { tool, picks, draft } = useTools.getState();
  if (tool === 'comb') toggleComb(edge.feature, edge.edge);
  if (tool === 'edge_blend') {
    pickForBlend(edge, picks, draft);
    return;
  }
  if (!draft) return;
  useTools.setState({ hover: null });
  const field = openField(fieldsOf(draft.kind), draft.params, ['line', 'lines']);
  if (!field) return;
  const sofar = (draft.params[field.name] as EdgeRef[] | undefined) ?? [];
  if (field.kind === 'lines' && sofar.some((p) => same(p, edge))) return;
  changeDraft({ [field.name]: field.kind === 'lines' ? [...sofar, edge] : edge });
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

/** What the tool in work would take next. */
export function wanted(): 'line' | 'face' | 'point' | null {
  const { tool, draft, repick, measured } = useTools.getState();
  if (repick) return repick.kind;
  if (measured) return measured.length < 2 ? 'point' : null;
  if (tool === 'comb') return 'line';
  if (tool === 'edge_blend') return draft ? null : 'line';
  if (!draft) return null;
  if (draft.kind === 'cv_curve') return 'point';
  const open = fieldsOf(draft.kind).find(
    (f) => f.required && (draft.params[f.name] === undefined || f.kind === 'lines' || f.kind === 'points'),
  );
  if (draft.kind === 'arc' && draft.params.end !== undefined) return null;
  if (open?.kind === 'line' || open?.kind === 'lines') return 'line';
  if (open?.kind === 'point' || open?.kind === 'points') return 'point';
  return open?.kind === 'face' ? 'face' : null;
}

/** A point was placed: it goes where the tool still lacks one. */
export function placePoint(point: Point): void {
  const { draft, measured } = useTools.getState();
  if (measured) {
    useTools.setState({ measured: [...measured, point] });
    return;
  }
  if (!draft) return;
  if (draft.kind === 'cv_curve') {
    changeDraft(withCv(draft.params, point));
    return;
  }
  const fields = fieldsOf(draft.kind);
  const through = draft.kind === 'arc' && draft.params.start !== undefined && draft.params.through === undefined;
  const field = through ? fields.find((f) => f.name === 'through') : openField(fields, draft.params, ['point', 'points']);
  if (!field) return;
  const sofar = (draft.params[field.name] as Point[] | undefined) ?? [];
  changeDraft({ [field.name]: field.kind === 'points' ? [...sofar, point] : point });
}

/** Degree of a curve that is drawn by its CVs: as high as they allow, to this; then more spans. */
const DRAWN_DEGREE = 5;

function withCv(params: Params, point: Point): Params {
  const curve = params.curve as { control: Point[] } | undefined;
  const control = [...(curve?.control ?? []), point];
  const degree = Math.min(DRAWN_DEGREE, Math.max(1, control.length - 1));
  const spans = Math.max(1, control.length - degree);
  const inner = Array.from({ length: spans - 1 }, (_, i) => (i + 1) / spans);
  const knots = [...Array<number>(degree + 1).fill(0), ...inner, ...Array<number>(degree + 1).fill(1)];
  return { curve: { degree, knots, control, weights: null } };
}

/** Take the last point back that was placed. */
export function takePointBack(): boolean {
  const { draft } = useTools.getState();
  const curve = draft?.params.curve as { control: Point[] } | undefined;
  if (draft?.kind === 'cv_curve' && curve && curve.control.length > 1) {
    let params: Params = {};
    for (const p of curve.control.slice(0, -1)) params = withCv(params, p);
    changeDraft(params);
    return true;
  }
  const points = draft?.params.points as Point[] | undefined;
  if (draft && points?.length) {
    changeDraft({ points: points.slice(0, -1) });
    return true;
  }
  return false;
}

/** Points placed so far, to be seen before there is a curve. */
export function placedPoints(draft: Draft): Point[] {
  if (draft.kind === 'cv_curve') return (draft.params.curve as { control: Point[] } | undefined)?.control ?? [];
  return Object.values(draft.params).flatMap((v) => {
    if (!Array.isArray(v) || !v.length) return [];
    return Array.isArray(v[0]) ? (v as Point[]) : v.length === 3 && typeof v[0] === 'number' ? [v as unknown as Point] : [];
  });
}

function draftOp(): Op | null {
  const { draft } = useTools.getState();
  if (!draft || !complete(fieldsOf(draft.kind), draft.params)) return null;
  if (draft.kind === 'cv_curve' && placedPoints(draft).length < 2) return null;
  const { id, kind, name, role, params } = draft;
  const group = activeGroup();
  const feature = { id, kind, name, role: group?.role ?? role, on: true, hidden: false, locked: false, group: group?.id ?? null, params };
  return { op: 'add_features', features: [feature], at: null };
}

function showDraft(): void {
  const op = draftOp();
  if (op) preview(op);
}

export function changeDraft(changes: Params): void {
  const { draft } = useTools.getState();
  if (!draft) return;
  useTools.setState({ draft: { ...draft, params: { ...draft.params, ...changes } }, problem: null });
  showDraft();
}

export async function keepDraft(): Promise<void> {
  const { draft, problem } = useTools.getState();
  const op = draftOp();
  if (!draft || !op) return;
  if (problem) {
    tell(problem);
    return;
  }
  if (await commit(op)) {
    useTools.setState({ draft: null, picks: [], tool: null, caught: null, selection: { kind: 'feature', id: draft.id } });
    const seam = useStudy.getState().kept.seams.find((s) => s.a.feature === draft.id);
    if (seam) useView.setState({ activeSeam: seam.key });
  }
}

export function dropDraft(): void {
  if (!useTools.getState().draft) return;
  useTools.setState({ draft: null, picks: [], problem: null, caught: null });
  endPreview();
}

/** Esc: the nearest thing that can be let go of. */
export function letGo(): void {
  const { draft, tool, picks, selection } = useTools.getState();
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

/** Change parameters of a step in work or in the build. */
export function changeParams(id: string, changes: Params, final: boolean): void {
  if (useTools.getState().draft?.id === id) {
    changeDraft(changes);
    return;
  }
  const op: Op = { op: 'set_params', id, changes };
  if (final) void commit(op);
  else preview(op);
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

/** The group that new steps land in. */
export function activeGroup(): Group | null {
  const study = useStudy.getState().study;
  return study?.groups.find((g) => g.id === study.active_group) ?? null;
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
  return useStudy.getState().study?.features.find((f) => f.id === selection?.id) ?? null;
}

export function showBefore(on: boolean): void {
  const { before, kept, previewing } = useStudy.getState();
  if (previewing || !before) return;
  useStudy.setState({ shown: on ? before : kept, showBefore: on });
}

export const undo = () => step('undo');
export const redo = () => step('redo');
