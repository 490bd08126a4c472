import { Vector3 } from 'three';

import { cvPoint } from '../../scene/cvPoint';
import type { Viewport } from '../../scene/viewport';
import { editParams } from '../../state/drafts';
import { relationsOf, UNITS, type Relation, type RelationKind } from '../../state/relations';
import { isCurve, useStudy, type Shape } from '../../state/study';
import { useTools } from '../../state/tools';
import { ExpressionField } from '../card/ExpressionField';

/** Signs of the relations, short enough to stand beside a CV. */
const SIGNS: Record<RelationKind, string> = {
  fixed: '⚓', coincident: '◎', same: '=', length: '↔', incline: '∠', symmetric: '⇋', collinear: '⋯', equal: '≡', angle: '∠',
  at: '⊢', axis: '⌀', plane: '⊥', inline: '⋯', touch: '⌒', joint: '⟜',
};

const AXES = ['x', 'y', 'z'];

/** Where a relation is drawn: amid the CVs of the curve that it binds, or at the end that meets something. */
function placeOf(shape: Shape, r: Relation): Vector3 | null {
  const last = shape.object.cvs.count[0] - 1;
  const own = r.cvs.filter((cv): cv is number => typeof cv === 'number' && cv <= last);
  if (r.kind === 'joint') own.push(r.end ? last : 0);
  if (r.kind === 'touch') own.push(Math.floor(last / 2));
  if (!own.length) return null;
  return own.reduce((sum, i) => sum.add(cvPoint(shape, [i, 0])), new Vector3()).divideScalar(own.length);
}

/** Relations of the picked curve where they act; a value is changed there. */
export function RelationOverlay({ viewport }: { viewport: Viewport }) {
  const selection = useTools((s) => s.selection);
  const id = selection && selection.kind !== 'edge' ? selection.id : null;
  const { shown, study } = useStudy.getState();
  const shape = id ? shown.shapes.get(id) : undefined;
  const params = study?.features.find((f) => f.id === id)?.params;
  const all = relationsOf(params);
  if (!id || !shape || !isCurve(shape) || !all.length) return null;
  const broken = (shown.features.get(id)?.facts as { broken?: number[] } | undefined)?.broken ?? [];
  const used = new Map<string, number>();
  return all.map((r, i) => {
    const at = placeOf(shape, r);
    if (!at) return null;
    const { x, y } = viewport.view.project(at.toArray());
    // Several relations of one CV stand below each other.
    const spot = `${Math.round(x / 12)} ${Math.round(y / 12)}`;
    const row = used.get(spot) ?? 0;
    used.set(spot, row + 1);
    const unit = UNITS[r.kind];
    const axis = ['same', 'incline', 'symmetric', 'at', 'axis'].includes(r.kind) ? (AXES[r.axis ?? 2] ?? '') : '';
    const change = (value: number | string | null) =>
      value !== null && editParams(id, (now) => ({ relations: relationsOf(now).map((s, k) => (k === i ? { ...s, value } : s)) }));
    return (
      <span key={i} className={broken.includes(i) ? 'relation over' : 'relation'} style={{ left: x + 14, top: y - 38 - 30 * row }}>
        {broken.includes(i) ? '▲ ' : ''}
        {SIGNS[r.kind]}
        {axis}
        {r.kind === 'joint' ? ` G${r.order ?? 1}` : ''}
        {unit && <ExpressionField label={`Relation ${i + 1} on the part`} width={82} unit={unit} value={r.value ?? 0} onChange={change} />}
      </span>
    );
  });
}
