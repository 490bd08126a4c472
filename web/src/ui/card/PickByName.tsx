import type { EdgeRef } from '../../api/types';
import { isShown, pickEdge, pickFeature } from '../../state/actions';
import { isRef } from '../../state/catalog';
import { wanted } from '../../state/placing';
import { featureName, isCurve, stepOfObject, useStudy, type Shape } from '../../state/study';
import { useTools } from '../../state/tools';
import { useView } from '../../state/view';
import { edgeWords, lineWords } from '../../state/words';

/** More lines than this are listed only when they are asked for. */
const MANY = 60;

/** What can be picked now, by name: for the keyboard, and where lines lie close together on the screen. */
export function PickByName() {
  const shapes = useStudy((s) => s.kept.shapes);
  const { isolated, combEdges } = useView();
  const { hand } = useTools();
  const wants = wanted();
  if (wants === null || wants === 'point') return null;
  const shown = [...shapes.values()].filter((s) => {
    const step = stepOfObject(s.id);
    return step !== undefined && s.object.kind !== 'mesh' && isShown(step, isolated);
  });
  const used = Object.values(hand.at === 'step' ? hand.draft.params : {}).flat();
  const taken = (ref: EdgeRef) =>
    hand.at === 'combs'
      ? combEdges.some((e) => e.id === ref.feature && e.edge === ref.edge)
      : used.some((r) => isRef(r) && r.feature === ref.feature && (r.edge ?? '') === ref.edge);
  if (wants === 'line') {
    const count = shown.reduce((sum, s) => sum + s.edges.length, 0);
    return (
      <details className="by-name" open={count <= MANY}>
        <summary>Pick on the part, or here by name</summary>
        {shown.map((s) => s.edges.length > 0 && <Lines key={s.id} shape={s} taken={taken} />)}
      </details>
    );
  }
  const fits = (s: Shape) => wants === 'any' || s.object.kind === wants;
  return (
    <details className="by-name" open={shown.length <= MANY}>
      <summary>Pick on the part, or here by name</summary>
      <div className="chips">
        {shown.filter(fits).map((s) => (
          <button
            key={s.id}
            className="chip"
            aria-pressed={taken({ feature: s.id, edge: isCurve(s) ? (s.edges[0]?.name ?? '') : '' })}
            onClick={() => pickFeature(s.id)}
            {...pointing({ feature: s.id })}
          >
            {featureName(s.id)}
          </button>
        ))}
      </div>
    </details>
  );
}

function Lines({ shape, taken }: { shape: Shape; taken(ref: EdgeRef): boolean }) {
  const name = featureName(shape.id);
  return (
    <div role="group" aria-label={name} style={{ marginTop: 8 }}>
      <div className="quiet">{name}</div>
      <div className="chips">
        {shape.edges.map(({ name: edge }) => {
          const ref = { feature: shape.id, edge };
          return (
            <button key={edge} className="chip" aria-label={edgeWords(shape.id, edge)} aria-pressed={taken(ref)} onClick={() => pickEdge(ref)} {...pointing(ref)}>
              {lineWords(edge)}
            </button>
          );
        })}
      </div>
    </div>
  );
}

/** What a name stands for lights up on the part while the pointer or the focus is on it. */
const pointing = (ref: EdgeRef | { feature: string }) => {
  const on = () => useTools.setState({ hover: ref });
  const off = () => useTools.setState({ hover: null });
  return { onPointerEnter: on, onPointerLeave: off, onFocus: on, onBlur: off };
};
