import { ActionIcon, SegmentedControl } from '@mantine/core';
import { IconX } from '@tabler/icons-react';
import { memo, useLayoutEffect, useRef, useState } from 'react';

import type { Viewport } from '../../scene/viewport';
import { useStudy, type SeamLine } from '../../state/study';
import { useView, type StripFigure } from '../../state/view';
import { formatted, length } from '../figures';
import { Why } from './Why';

const COLUMN: Record<StripFigure, number> = { gap: 1, angle: 2, curvature: 3 };
const WORDS: Record<StripFigure, string> = { gap: 'Gap', angle: 'Angle', curvature: 'Curvature mismatch' };
/** The chosen figure along the picked seam, with its limit; pointing at it marks the place on the part. */
export function Strip({ seam, name, viewport }: { seam: SeamLine; name: string; viewport: Viewport | null }) {
  const limits = useStudy((s) => s.study?.limits);
  const { stripFigure: figure, stripRow } = useView();
  const [size, setSize] = useState({ w: 500, h: 110 });
  const box = useRef<SVGSVGElement>(null);

  useLayoutEffect(() => {
    const svg = box.current;
    if (!svg) return;
    const observer = new ResizeObserver(() => setSize({ w: svg.clientWidth || 500, h: svg.clientHeight || 110 }));
    observer.observe(svg);
    return () => observer.disconnect();
  }, []);

  const rows = seam.plot.length / 7;
  const column = COLUMN[figure];
  const value = (i: number, c: number) => seam.plot[i * 7 + c] ?? 0;
  const limit = limits?.[figure] ?? 1;
  const worst = seam[figure];
  const total = Math.max(1e-9, value(rows - 1, 0));
  const top = Math.max(limit * 1.35, worst.max * 1.12);
  const [left, right, low, high] = [10, size.w - 10, size.h - 18, 14];
  const x = (mmAlong: number) => left + (mmAlong / total) * (right - left);
  const y = (v: number) => low - (v / top) * (low - high);
  let path = '';
  for (let i = 0; i < rows; i++) path += `${i ? 'L' : 'M'}${x(value(i, 0)).toFixed(1)},${y(value(i, column)).toFixed(1)}`;
  const place = (row: number) => [value(row, 4), value(row, 5), value(row, 6)] as const;

  const point = (clientX: number) => {
    const rect = box.current?.getBoundingClientRect();
    if (!rect) return;
    const at = ((clientX - rect.left - left) / (right - left)) * total;
    let best = 0;
    for (let i = 1; i < rows; i++) if (Math.abs(value(i, 0) - at) < Math.abs(value(best, 0) - at)) best = i;
    useView.setState({ stripRow: best });
  };
  const row = stripRow !== null && stripRow < rows ? stripRow : null;
  const walk = (e: React.KeyboardEvent) => {
    const step = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1, PageUp: 10, PageDown: -10, Home: -rows, End: rows }[e.key];
    if (e.key === 'Enter' && row !== null) viewport?.flyTo(place(row), 80);
    else if (step !== undefined) useView.setState({ stripRow: Math.min(rows - 1, Math.max(0, (row ?? 0) + step)) });
    else return;
    e.preventDefault();
  };
  const worstLeft = x(worst.at) > size.w * 0.7;

  return (
    <div className="strip">
      <div className="head">
        <FigureChoice />
        <span className="quiet">
          {seam.stale ? 'Last shape · ' : ''}
          {WORDS[figure]} along {name}
        </span>
        <ActionIcon className="fold" variant="subtle" color="gray" size="sm" aria-label="Fold the strip" title="Fold the strip" onClick={() => useView.setState({ activeSeam: null, stripRow: null })}>
          <IconX size={14} />
        </ActionIcon>
      </div>
      <svg
        ref={box}
        role="slider"
        tabIndex={0}
        aria-valuemin={0}
        aria-valuemax={rows - 1}
        aria-valuenow={row ?? 0}
        aria-valuetext={row === null ? 'nowhere pointed at' : `${formatted(figure, value(row, column))} at ${length(value(row, 0))} mm`}
        onKeyDown={walk}
        aria-label={`${WORDS[figure]} along ${name}: worst ${formatted(figure, worst.max)} at ${length(worst.at)} mm, limit ${formatted(figure, limit)}`}
        onPointerMove={(e) => point(e.clientX)}
        onPointerLeave={() => useView.setState({ stripRow: null })}
        onClick={() => row !== null && viewport?.flyTo(place(row), 80)}
      >
        <rect x={left} width={Math.max(0, right - left)} y={y(limit)} height={Math.max(0, low - y(limit))} fill="var(--accent)" opacity="0.09" />
        <line x1={left} x2={right} y1={y(limit)} y2={y(limit)} stroke="var(--accent)" strokeDasharray="4 3" />
        <text x={left + 4} y={y(limit) - 4} fontSize="11" fill="var(--accent)">
          limit {formatted(figure, limit)}
        </text>
        <line x1={left} x2={right} y1={low} y2={low} stroke="var(--hair)" />
        <path d={path} fill="none" stroke="var(--ink)" strokeWidth="1.6" />
        <circle cx={x(worst.at)} cy={y(worst.max)} r="4" fill={worst.max > limit ? 'var(--over)' : 'var(--accent)'} />
        <text
          x={x(worst.at) + (worstLeft ? -9 : 9)}
          y={Math.max(11, y(worst.max) - 5)}
          fontSize="11.5"
          fontWeight="600"
          textAnchor={worstLeft ? 'end' : 'start'}
          fill={worst.max > limit ? 'var(--over)' : 'var(--accent)'}
        >
          {formatted(figure, worst.max)} at {length(worst.at)} mm
        </text>
        {row !== null && (
          <>
            <line x1={x(value(row, 0))} x2={x(value(row, 0))} y1={high - 6} y2={low} stroke="var(--ink)" opacity="0.45" />
            <circle cx={x(value(row, 0))} cy={y(value(row, column))} r="3.5" fill="var(--paper)" stroke="var(--ink)" strokeWidth="1.6" />
          </>
        )}
        <text x={left} y={size.h - 4} fontSize="11" fill="var(--soft)">
          0
        </text>
        <text x={right} y={size.h - 4} fontSize="11" textAnchor="end" fill="var(--soft)">
          {length(total)} mm
        </text>
      </svg>
      <Why seam={seam} viewport={viewport} />
    </div>
  );
}

const FigureChoice = memo(function FigureChoice() {
  const figure = useView((s) => s.stripFigure);
  return (
    <SegmentedControl
      size="xs"
      aria-label="Figure along the seam"
      data={[
        { value: 'gap', label: 'Gap' },
        { value: 'angle', label: 'Angle' },
        { value: 'curvature', label: 'Curvature' },
      ]}
      value={figure}
      onChange={(f) => useView.setState({ stripFigure: f as StripFigure })}
    />
  );
});
