import type { Viewport } from '../../scene/viewport';
import { useStudy } from '../../state/study';
import { useView } from '../../state/view';
import { formatted, length } from '../figures';

/** Marks of the picked seam on the part: its worst place, and the place that the strip points at. */
export function SeamOverlay({ viewport }: { viewport: Viewport }) {
  const { activeSeam, stripFigure, stripRow } = useView();
  const seam = useStudy((s) => s.shown.seams.find((x) => x.key === activeSeam));
  const limits = useStudy((s) => s.study?.limits);
  if (!seam) return null;
  const worst = seam[stripFigure];
  const over = worst.max > (limits?.[stripFigure] ?? Infinity);
  const at = viewport.view.project(worst.point);
  const column = { gap: 1, angle: 2, curvature: 3 }[stripFigure];
  const cell = (k: number) => seam.plot[(stripRow ?? 0) * 7 + k] ?? 0;
  const marker = stripRow === null ? null : viewport.view.project([cell(4), cell(5), cell(6)]);
  const colour = over ? 'var(--over)' : 'var(--accent)';
  return (
    <>
      <svg>
        <line x1={at.x} y1={at.y} x2={at.x + 26} y2={at.y - 22} stroke={colour} strokeWidth="1.3" />
        <circle cx={at.x} cy={at.y} r="5" fill={colour} stroke="var(--paper)" strokeWidth="2" />
        {marker && <circle cx={marker.x} cy={marker.y} r="6" fill="none" stroke="var(--ink)" strokeWidth="2.4" data-mark="strip" />}
      </svg>
      <div className="tag" style={{ left: at.x + 26, top: at.y - 42 }}>
        <strong style={{ color: colour }}>
          {over ? '▲ ' : ''}
          {formatted(stripFigure, worst.max)}
        </strong>{' '}
        <span className="quiet">worst, at {length(worst.at)} mm</span>
      </div>
      {marker && (
        <div className="tag" style={{ left: marker.x + 12, top: marker.y + 10 }} role="status" aria-label="Figure at the marker">
          {formatted(stripFigure, cell(column))} <span className="quiet">at {length(cell(0))} mm</span>
        </div>
      )}
    </>
  );
}
