import { Vector3 } from 'three';

import type { Point } from '../../api/types';
import { followPointer, travel } from '../../scene/cvDrag';
import { onPlane } from '../../scene/plane';
import type { Viewport } from '../../scene/viewport';
import { fieldBy } from '../../state/catalog';
import { changeParams } from '../../state/drafts';
import { endPreview } from '../../state/session';
import { featureName, useStudy } from '../../state/study';
import { useTools } from '../../state/tools';
import { directionsOf } from '../card/Directions';

interface Tip {
  point: number;
  at: Point;
  /** Length of the handle at weight 1, mm. */
  reach: number;
}

/** Handles of the directions that a curve through points keeps: pull the tip to turn and weigh them. */
export function DirectionOverlay({ viewport }: { viewport: Viewport }) {
  const selection = useTools((s) => s.selection);
  const id = selection?.id;
  const feature = useStudy((s) => s.study?.features.find((f) => f.id === id));
  if (!id || !fieldBy(feature?.kind, 'directions')) return null;
  const { shown } = useStudy.getState();
  const tips = (shown.features.get(id)?.facts.tips ?? []) as Tip[];
  const points = shown.shapes.get(id)?.object.cvs.points ?? [];
  return tips.map((tip) => (
    <Handle key={tip.point} viewport={viewport} id={id} tip={tip} root={points.slice(3 * tip.point, 3 * tip.point + 3) as Point} />
  ));
}

function Handle({ viewport, id, tip, root }: { viewport: Viewport; id: string; tip: Tip; root: Point }) {
  const dragMode = useTools((s) => s.dragMode);
  if (root.length !== 3) return null;
  const a = viewport.view.project(root);
  const b = viewport.view.project(tip.at);
  const name = `Direction handle at point ${tip.point + 1} of ${featureName(id)}`;

  const start = (e: React.PointerEvent) => {
    if (e.button !== 0) return;
    e.preventDefault();
    e.stopPropagation();
    const base = new Vector3(...root);
    const at = new Vector3(...tip.at);
    const params = useStudy.getState().study?.features.find((f) => f.id === id)?.params;
    let last = { x: e.clientX, y: e.clientY };
    let moved = false;
    const set = (final: boolean) => {
      const way = at.clone().sub(base);
      const long = way.length();
      if (long < 1e-6) return;
      const weight = Math.min(20, Math.max(0.02, long / tip.reach));
      const direction = way.divideScalar(long).toArray();
      changeParams(id, { directions: directionsOf(params).map((d) => (d.point === tip.point ? { ...d, direction, weight } : d)) }, final);
    };
    followPointer({
      move(m) {
        const fine = m.shiftKey ? 0.1 : 1;
        const [dx, dy] = [(m.clientX - last.x) * fine, (m.clientY - last.y) * fine];
        const p = dragMode === 'plane' ? onPlane(viewport, last.x, last.y) : null;
        const q = p && onPlane(viewport, last.x + dx, last.y + dy);
        at.add(p && q ? q.sub(p) : travel(viewport, at, null, dx, dy));
        last = { x: m.clientX, y: m.clientY };
        moved = true;
        set(false);
      },
      done: () => moved && set(true),
      givenUp: endPreview,
    });
  };
  return (
    <>
      <svg>
        <line x1={a.x} y1={a.y} x2={b.x} y2={b.y} stroke="var(--accent)" strokeWidth="2" />
      </svg>
      <button className="handle" style={{ left: b.x, top: b.y }} aria-label={name} title={name} onPointerDown={start} />
    </>
  );
}
