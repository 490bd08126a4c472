import type { FrameHandle } from '../../api/types';
import type { Viewport } from '../../scene/viewport';

/** Length of the arrow in pixels, and where on it the button sits. */
const [LENGTH, GRIP] = [40, 24];

/** An arrow along the way that a line runs, at its start: a click turns it. */
export function WayHandle({ viewport, handle, label, turn }: { viewport: Viewport; handle: FrameHandle; label: string; turn(): void }) {
  const { view } = viewport;
  const root = view.project(handle.point);
  const [x, y, z] = handle.point;
  const [dx, dy, dz] = handle.direction;
  const ahead = view.project([x + dx, y + dy, z + dz]);
  const apart = Math.hypot(ahead.x - root.x, ahead.y - root.y) || 1;
  const [ux, uy] = [(ahead.x - root.x) / apart, (ahead.y - root.y) / apart];
  const place = (along: number, beside: number) => `${(root.x + ux * along - uy * beside).toFixed(1)},${(root.y + uy * along + ux * beside).toFixed(1)}`;
  return (
    <>
      <svg>
        <path d={`M${place(0, 0)}L${place(LENGTH - 6, 0)}`} fill="none" stroke="var(--accent)" strokeWidth="2" />
        <path d={`M${place(LENGTH, 0)}L${place(LENGTH - 11, 5)}L${place(LENGTH - 11, -5)}Z`} fill="var(--accent)" />
        <circle cx={root.x} cy={root.y} r="3" fill="var(--accent)" />
      </svg>
      <button
        className="handle way"
        style={{ left: root.x + ux * GRIP, top: root.y + uy * GRIP }}
        role="switch"
        aria-checked={handle.value > 0}
        aria-label={label}
        title={`${label}: a click turns it.`}
        onClick={turn}
      />
    </>
  );
}
