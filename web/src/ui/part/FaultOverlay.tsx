import { isShown } from '../../state/actions';
import { middleOf } from '../../scene/middle';
import type { Viewport } from '../../scene/viewport';
import { stepOf, useStudy, type Shape } from '../../state/study';
import { draftOf, select, useTools } from '../../state/tools';
import { useView } from '../../state/view';
import { StepStatus } from '../build/StepStatus';

/** Distance of marks of one shape, pixels. */
const APART = 30;

/** Steps that did not come out, marked on the part where they would be: what they say is told where the mark is pointed at. */
export function FaultOverlay({ viewport }: { viewport: Viewport }) {
  const study = useStudy((s) => s.study);
  const isolated = useView((s) => s.isolated);
  const drawing = useTools((s) => draftOf(s) !== null);
  const { shapes, features } = useStudy.getState().shown;
  if (!study || drawing) return null;
  const taken = new Map<Shape, number>();
  return study.features.map((feature) => {
    const state = features.get(feature.id);
    if (!state?.problem || !isShown(feature, isolated)) return null;
    const places = [feature.id, ...state.makes, ...state.changes, ...named(feature.params)];
    const shape = places.map((id) => shapes.get(id) ?? shapes.get(stepOf(id))).find((s) => s !== undefined);
    const middle = shape && middleOf(shape);
    if (!middle) return null;
    const at = viewport.view.project(middle.point);
    const before = taken.get(shape) ?? 0;
    taken.set(shape, before + 1);
    return (
      <button
        key={feature.id}
        className={`tag fault-mark ${state.status}`}
        style={{ left: at.x, top: at.y + APART * before }}
        aria-label={`${feature.name}: ${state.problem}`}
        onClick={() => select({ kind: 'feature', id: feature.id })}
      >
        <StepStatus status={state.status} />
        {feature.name}
        <span className="why">{state.problem}</span>
      </button>
    );
  });
}

/** Objects that parameters name, in order. */
function named(value: unknown): string[] {
  if (Array.isArray(value)) return value.flatMap(named);
  if (typeof value !== 'object' || value === null) return [];
  const own = value as Record<string, unknown>;
  return typeof own.feature === 'string' ? [own.feature] : Object.values(own).flatMap(named);
}
