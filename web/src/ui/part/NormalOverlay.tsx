import { Vector3 } from 'three';

import { middleOf } from '../../scene/middle';
import type { Viewport } from '../../scene/viewport';
import { featureName, useStudy } from '../../state/study';
import { draftOf, useTools } from '../../state/tools';

/** Length of the arrow where it is seen from the side, pixels. */
const LONG = 46;

/** Which way the picked face points: an arrow out of its middle, hollow where it points away from the eye. */
export function NormalOverlay({ viewport }: { viewport: Viewport }) {
  const selection = useTools((s) => s.selection);
  const drawing = useTools((s) => draftOf(s) !== null);
  const id = selection?.kind === 'feature' ? selection.id : null;
  const { shapes, features } = useStudy.getState().shown;
  // Where regions can be chosen, their marks have the room.
  if (!id || drawing || features.get(id)?.facts.regions) return null;
  return [id, ...(features.get(id)?.changes ?? [])].map((object) => {
    const shape = shapes.get(object);
    const middle = shape?.object.kind === 'face' ? middleOf(shape) : null;
    if (!middle?.normal) return null;
    const { point, normal } = middle;
    const root = viewport.view.project(point);
    const size = LONG * viewport.view.millimetresPerPixel;
    const tip = viewport.view.project([point[0] + normal[0] * size, point[1] + normal[1] * size, point[2] + normal[2] * size]);
    const away = viewport.view.toEye.dot(new Vector3(...normal)) < 0;
    const [dx, dy] = [tip.x - root.x, tip.y - root.y];
    const long = Math.hypot(dx, dy);
    const [ux, uy] = long > 1 ? [dx / long, dy / long] : [0, 0];
    const head = Math.min(9, long);
    const barb = (side: number) => `${tip.x - head * ux - side * 0.45 * head * uy},${tip.y - head * uy + side * 0.45 * head * ux}`;
    const words = `${featureName(object)} points ${away ? 'away from' : 'towards'} you here`;
    return (
      <svg key={object} role="img" aria-label={words}>
        <title>{words}</title>
        <line x1={root.x} y1={root.y} x2={tip.x} y2={tip.y} stroke="var(--ink)" strokeWidth="1.6" strokeDasharray={away ? '3 3' : undefined} />
        {long > 4 && <polygon points={`${tip.x},${tip.y} ${barb(1)} ${barb(-1)}`} fill={away ? 'var(--paper)' : 'var(--ink)'} stroke="var(--ink)" strokeWidth="1.4" />}
        <circle cx={root.x} cy={root.y} r="3.5" fill={away ? 'var(--paper)' : 'var(--ink)'} stroke="var(--ink)" strokeWidth="1.4" />
      </svg>
    );
  });
}
