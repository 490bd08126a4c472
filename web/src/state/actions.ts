import type { BlendParams, EdgeRef, FeatureSummary, Op } from '../api/types';
import { commit, endPreview, preview, refreshCombs, step, tell } from './session';
import { useStudy } from './study';
import { useTools, type Stage, type Tool } from './tools';
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
  if (now === tool) {
    useTools.setState({ tool: null, picks: [], problem: null });
    return;
  }
  const picked = selection?.kind === 'edge' ? { feature: selection.id, edge: selection.edge } : null;
  const stage = tool === 'edge_blend' ? 'blends' : 'check';
  useTools.setState({ tool, picks: [], problem: null, stage, selection: null });
  if (picked) pickEdge(picked);
}

/** What a tool does with an edge that was picked. */
export function pickEdge(edge: EdgeRef): void {
  const { tool, picks, draft } = useTools.getState();
  if (tool === 'comb') toggleComb(edge.feature, edge.edge);
  if (tool !== 'edge_blend') return;
  if (draft) return;
  useTools.setState({ hover: null });
  if (picks.some((p) => same(p, edge))) {
    useTools.setState({ problem: 'The same edge was picked twice: pick a different second edge.' });
    return;
  }
  if (!picks.length) {
    useTools.setState({ picks: [edge], problem: null });
    return;
  }
  const first = picks[0];
  if (!first) return;
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
  useTools.setState({ picks: [first, edge], draft: { id: newId(), name: freeName('Edge blend'), params }, problem: null });
  showDraft();
}

function draftOp(): Op | null {
  const { draft } = useTools.getState();
  if (!draft) return null;
  const feature = { id: draft.id, kind: 'edge_blend', name: draft.name, role: 'secondary' as const, on: true, hidden: false };
  return { op: 'add_features', features: [{ ...feature, params: { ...draft.params } }], at: null };
}

function showDraft(): void {
  const op = draftOp();
  if (op) preview(op);
}

export function changeDraft(changes: Partial<BlendParams>): void {
  const { draft } = useTools.getState();
  if (!draft) return;
  useTools.setState({ draft: { ...draft, params: { ...draft.params, ...changes } } });
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
    useTools.setState({ draft: null, picks: [], tool: null, selection: { kind: 'feature', id: draft.id } });
    const seam = useStudy.getState().kept.seams.find((s) => s.a.feature === draft.id);
    if (seam) useView.setState({ activeSeam: seam.key });
  }
}

export function dropDraft(): void {
  if (!useTools.getState().draft) return;
  useTools.setState({ draft: null, picks: [], problem: null });
  endPreview();
}

/** Esc: the nearest thing that can be let go of. */
export function letGo(): void {
  const { draft, tool, picks, selection } = useTools.getState();
  if (draft) dropDraft();
  else if (picks.length) useTools.setState({ picks: [], problem: null });
  else if (tool) useTools.setState({ tool: null, problem: null });
  else if (selection?.kind === 'cvs') useTools.setState({ selection: { kind: 'feature', id: selection.id } });
  else if (selection) useTools.setState({ selection: null });
  else useView.setState({ isolated: null });
}

/** Parameters of a blend in work or in the build, and how to change them. */
export function changeBlend(id: string, changes: Partial<BlendParams>, final: boolean): void {
  if (useTools.getState().draft?.id === id) {
    changeDraft(changes);
    return;
  }
  const op: Op = { op: 'set_params', id, changes: { ...changes } };
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

export const setFlags = (id: string, change: { name?: string; on?: boolean; hidden?: boolean }) =>
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
