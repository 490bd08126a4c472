import type { FeatureSummary, Group, Op, Params } from '../api/types';
import { complete, useCatalog } from './catalog';
import { commit, endPreview, preview, tell } from './session';
import { useStudy } from './study';
import { useTools, type Draft } from './tools';
import { allDone } from './turns';
import { useView } from './view';

export const newId = (): string => crypto.randomUUID().replaceAll('-', '').slice(0, 12);

/** A name that no feature has yet. */
export function freeName(wanted: string): string {
  const taken = new Set(useStudy.getState().study?.features.map((f) => f.name));
  if (!taken.has(wanted)) return wanted;
  for (let i = 2; ; i++) if (!taken.has(`${wanted} ${i}`)) return `${wanted} ${i}`;
}

export const fieldsOf = (kind: string) => useCatalog.getState().fields.get(kind) ?? [];

/** The group that new steps land in. */
export function activeGroup(): Group | null {
  const study = useStudy.getState().study;
  return study?.groups.find((g) => g.id === study.active_group) ?? null;
}

/** CVs of a curve in work, drawn so far. */
export const drawnCvs = (draft: Draft): number[][] => (draft.params.curve as { control: number[][] } | undefined)?.control ?? [];

function draftOp(): Op | null {
  const { draft } = useTools.getState();
  if (!draft || !complete(fieldsOf(draft.kind), draft.params)) return null;
  if (draft.kind === 'cv_curve' && drawnCvs(draft).length < 2) return null;
  const { id, kind, name, role, params } = draft;
  const group = activeGroup();
  const feature: FeatureSummary = { id, kind, name, role: group?.role ?? role, on: true, hidden: false, locked: false, group: group?.id ?? null, params };
  return { op: 'add_features', features: [feature], at: null };
}

export function showDraft(): void {
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
  await allDone();
  const { draft, problem, selection } = useTools.getState();
  const op = draftOp();
  if (!draft || !op) return;
  if (problem) {
    tell(problem);
    return;
  }
  if (await commit(op)) {
    // What was picked meanwhile stays picked.
    const now = useTools.getState().selection;
    useTools.setState({ draft: null, picks: [], tool: null, caught: null, selection: now === selection ? { kind: 'feature', id: draft.id } : now });
    const seam = useStudy.getState().kept.seams.find((s) => s.a.feature === draft.id);
    if (seam) useView.setState({ activeSeam: seam.key });
  }
}

export function dropDraft(): void {
  if (!useTools.getState().draft) return;
  useTools.setState({ draft: null, picks: [], problem: null, caught: null });
  endPreview();
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
