import type { FeatureSummary, Group, Op, Params } from '../api/types';
import { complete, fieldsOf } from './catalog';
import { commit, endPreview, preview, tell, untell } from './session';
import { useStudy } from './study';
import { changed, IDLE } from './hand';
import { draftNow, hold, problemOf, useTools } from './tools';
import { allDone, inTurn } from './turns';
import { useView } from './view';

/** Why the step in work is not kept: it does not hold any more once that has changed. */
const NOT_KEPT = 'not-kept';

export const newId = (): string => crypto.randomUUID().replaceAll('-', '').slice(0, 12);

/** A name that no feature has yet. */
export function freeName(wanted: string): string {
  const taken = new Set(useStudy.getState().study?.features.map((f) => f.name));
  if (!taken.has(wanted)) return wanted;
  for (let i = 2; ; i++) if (!taken.has(`${wanted} ${i}`)) return `${wanted} ${i}`;
}

/** The group that new steps land in. */
export function activeGroup(): Group | null {
  const study = useStudy.getState().study;
  return study?.groups.find((g) => g.id === study.active_group) ?? null;
}

function draftOp(): Op | null {
  const draft = draftNow();
  if (!draft || !complete(fieldsOf(draft.kind), draft.params)) return null;
  const { id, kind, name, role, params } = draft;
  const group = activeGroup();
  const feature: FeatureSummary = { id, kind, name, role: group?.role ?? role, on: true, hidden: false, locked: false, group: group?.id ?? null, params };
  return { op: 'add_features', features: [feature], at: null };
}

/** Show the step in work, if it has all that it needs. */
export function showDraft(): void {
  const op = draftOp();
  const kept = useStudy.getState().study?.features.some((f) => f.id === draftNow()?.id);
  if (op && !kept) preview(op);
}

/** Change parameters of the step in work. final: no mere place on the way of a drag. */
export function changeDraft(changes: Params, final = true): void {
  const draft = draftNow();
  if (!draft) return;
  untell(NOT_KEPT);
  useTools.setState(({ hand }) => ({ hand: changed(hand, { ...draft.params, ...changes }, final) }));
  showDraft();
}

export async function keepDraft(): Promise<void> {
  await allDone();
  const { selection } = useTools.getState();
  const [draft, problem] = [draftNow(), problemOf(useTools.getState())];
  if (!draft) return;
  const op = draftOp();
  if (!op) {
    tell('This step still lacks something: look at its card for what it asks.', false, NOT_KEPT);
    return;
  }
  if (problem) {
    tell(problem, false, NOT_KEPT);
    return;
  }
  if (await commit(op)) {
    // Who has taken up something else meanwhile keeps it, and what was picked meanwhile stays picked.
    const now = useTools.getState().selection;
    if (draftNow()?.id === draft.id) {
      hold(IDLE);
      useTools.setState({ selection: now === selection ? { kind: 'feature', id: draft.id } : now });
    }
    const { activeSeam } = useView.getState();
    const seam = useStudy.getState().kept.seams.find((s) => s.by === draft.id);
    // Where the strip is open it shows the new seam; where it is folded the part keeps its room.
    if (seam && activeSeam) useView.setState({ activeSeam: seam.key });
  }
}

export function dropDraft(): void {
  if (!draftNow()) return;
  hold(IDLE);
  endPreview();
}

/** Change a list in a step's parameters: each change starts from what the one before it has left. */
export function editParams(id: string, edit: (params: Params) => Params): void {
  inTurn(async () => {
    const draft = draftNow();
    if (draft?.id === id) changeDraft(edit(draft.params));
    else await commit({ op: 'set_params', id, changes: edit(useStudy.getState().study?.features.find((f) => f.id === id)?.params ?? {}) });
  });
}

/** Change parameters of a step in work or in the build. */
export function changeParams(id: string, changes: Params, final: boolean): void {
  if (draftNow()?.id === id) {
    changeDraft(changes, final);
    return;
  }
  const op: Op = { op: 'set_params', id, changes };
  if (final) void commit(op);
  else preview(op);
}
