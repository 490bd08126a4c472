import { clicked, fieldBy, toolOf } from './catalog';
import { changeDraft } from './drafts';
import { reshape } from './session';
import { useStudy } from './study';
import { draftNow, useTools } from './tools';

/** A number key sets the degree of the curve that is being drawn, or whose CVs are picked; false if there is none. */
export function digit(key: string): boolean {
  const degree = Number(key);
  if (!/^[1-9]$/.test(key)) return false;
  const { selection } = useTools.getState();
  const draft = draftNow();
  const cvs = fieldBy(draft?.kind, 'cvs');
  if (draft && cvs) {
    const sofar = draft.params[cvs.name] as object | undefined;
    if (clicked(sofar).length) changeDraft({ [cvs.name]: { ...sofar, degree } });
    return clicked(sofar).length > 0;
  }
  if (draft && fieldBy(draft.kind, 'points')) {
    changeDraft({ degree });
    return true;
  }
  if (draft || selection?.kind !== 'cvs') return false;
  const feature = useStudy.getState().study?.features.find((f) => f.id === selection.id);
  if (!toolOf(feature?.kind)?.actions.some((a) => a.name === 'degree')) return false;
  // Its CVs are counted anew.
  void reshape(selection.id, 'degree', [], degree).then((done) => done && useTools.setState({ selection: { kind: 'feature', id: selection.id } }));
  return true;
}
