import { Vector3 } from 'three';

import { planeOfStep, workingPlane, type PlaneFrame } from '../../scene/plane';
import type { Viewport } from '../../scene/viewport';
import { isShown } from '../../state/actions';
import { stepOf, useStudy } from '../../state/study';
import { draftOf, useTools } from '../../state/tools';
import { useView } from '../../state/view';

/** Room left round the part, as a share of its size. */
const ROOM = 0.08;
const LINES = 10;
/** Shortest side of a sheet, as a share of its longest. */
const LEAST = 0.35;

/** The planes of the study, and the working plane with a grid when one was chosen, where the part is. */
export function PlaneOverlay({ viewport }: { viewport: Viewport }) {
  const { study, shown } = useStudy.getState();
  const plane = useView((s) => s.plane);
  const isolated = useView((s) => s.isolated);
  const selection = useTools((s) => s.selection);
  const draft = useTools(draftOf);
  const steps = [...shown.shapes.values()].filter((s) => s.object.kind === 'plane');
  const extent = viewport.extent();
  const chosen = plane.axis !== 'auto' && !plane.step ? workingPlane(viewport) : null;
  return (
    <svg aria-label="Planes">
      {chosen && <Sheet viewport={viewport} frame={chosen} extent={extent} grid />}
      {steps.map(({ id }) => {
        const feature = study?.features.find((f) => f.id === stepOf(id));
        const frame = planeOfStep(id);
        if (!frame || (feature && !isShown(feature, isolated))) return null;
        const name = feature?.name ?? draft?.name ?? '';
        return <Sheet key={id} viewport={viewport} frame={frame} extent={extent} name={name} grid={plane.step === id} strong={selection?.id === id || draft?.id === id} />;
      })}
    </svg>
  );
}

const clamp = (v: number, low: number, high: number) => Math.min(high, Math.max(low, v));

interface SheetProps {
  viewport: Viewport;
  frame: PlaneFrame;
  extent: Vector3[];
  name?: string;
  grid?: boolean;
  strong?: boolean;
}

function Sheet({ viewport, frame, extent, name, grid = false, strong = false }: SheetProps) {
  const { origin, x, y } = frame;
  const points = extent.length ? extent : [-100, 100].map((v) => origin.clone().addScaledVector(x, v).addScaledVector(y, v));
  const range = (axis: Vector3): [number, number] => {
    const along = points.map((p) => p.clone().sub(origin).dot(axis));
    const [low, high] = [Math.min(0, ...along), Math.max(0, ...along)];
    const room = Math.max(10, (high - low) * ROOM);
    return [low - room, high + room];
  };
  const ranges = [range(x), range(y)] as const;
  const least = LEAST * Math.max(...ranges.map(([low, high]) => high - low));
  // A part that is flat in the plane's view still gets a sheet that can be seen.
  const [[x0, x1], [y0, y1]] = ranges.map(([low, high]) => {
    const more = Math.max(0, least - (high - low)) / 2;
    return [low - more, high + more] as const;
  }) as [readonly [number, number], readonly [number, number]];
  const at = (u: number, v: number) => viewport.view.project(origin.clone().addScaledVector(x, u).addScaledVector(y, v).toArray());
  const path = (corners: { x: number; y: number }[]) => corners.map((p, i) => `${i ? 'L' : 'M'}${p.x.toFixed(1)},${p.y.toFixed(1)}`).join('');
  const steps = Array.from({ length: LINES - 1 }, (_, i) => (i + 1) / LINES);
  const lines = grid
    ? steps.map((s) => path([at(x0 + s * (x1 - x0), y0), at(x0 + s * (x1 - x0), y1)]) + path([at(x0, y0 + s * (y1 - y0)), at(x1, y0 + s * (y1 - y0))])).join('')
    : '';
  const corner = at(x0, y1);
  const { width, height } = viewport.view;
  const { left, right, top, bottom } = viewport.free;
  // The name stays in sight, off the panels, wherever the corner lies.
  const label = { x: clamp(corner.x, left * width, (1 - right) * width - 120), y: clamp(corner.y, top * height, (1 - bottom) * height) };
  return (
    <g stroke="var(--accent)" fill="none">
      <path d={`${path([at(x0, y0), at(x1, y0), at(x1, y1), at(x0, y1)])}Z`} fill="var(--accent)" fillOpacity={strong ? 0.09 : 0.045} strokeWidth={strong ? 1.6 : 0.9} strokeOpacity={strong ? 0.9 : 0.55} strokeDasharray="7 4" />
      {grid && <path d={lines} strokeWidth="0.6" strokeOpacity="0.28" />}
      {name && (
        <text x={label.x + 6} y={label.y + 14} fontSize="11.5" fill="var(--accent)" stroke="var(--ground)" strokeWidth="3" paintOrder="stroke">
          {name}
        </text>
      )}
    </g>
  );
}
