import type { KeyboardEvent, MouseEvent } from 'react';

export interface Trial {
  spans: number;
  cvs: number;
  ratio: number;
}

interface Props {
  title: string;
  trials: Trial[];
  chosen: number;
  /** Takes the spans of a point that was picked. */
  pick?: (spans: number) => void;
}

/** Spans against the worst figure over its aim, on a logarithmic scale; the chosen one ringed, any other to be picked. */
export function TradeOff({ title, trials, chosen, pick }: Props) {
  const [w, h, pad] = [220, 70, 14];
  const logs = trials.map((t) => Math.log10(Math.max(1e-3, t.ratio)));
  const top = Math.max(0.3, ...logs);
  const low = Math.min(-0.3, ...logs);
  const x = (i: number) => pad + (i / Math.max(1, trials.length - 1)) * (w - 2 * pad);
  const y = (v: number) => 8 + ((top - v) / (top - low)) * (h - 26);
  const path = logs.map((v, i) => `${i ? 'L' : 'M'}${x(i)},${y(v)}`).join('');
  const first = trials[0];
  const last = trials.at(-1);
  return (
    <figure style={{ margin: '10px 0 0' }}>
      <figcaption className="quiet">{title}</figcaption>
      <svg viewBox={`0 0 ${w} ${h}`} width="100%" role={pick ? 'group' : 'img'} aria-label="Trade-off between spans and accuracy">
        <line x1={pad} x2={w - pad} y1={y(0)} y2={y(0)} stroke="var(--accent)" strokeDasharray="3 3" />
        <text x={w - pad} y={y(0) - 3} textAnchor="end" fontSize="9" fill="var(--accent)">
          aim
        </text>
        <path d={path} fill="none" stroke="var(--ink)" strokeWidth="1.4" />
        {trials.map((t, i) => (
          <g
            key={i}
            className={pick && 'trial'}
            {...(pick && {
              role: 'button',
              tabIndex: 0,
              'aria-pressed': t.spans === chosen,
              'aria-label': words(t),
              // A click leaves the focus where it is, so that Enter keeps the step.
              onMouseDown: (e: MouseEvent) => e.preventDefault(),
              onClick: () => pick(t.spans),
              onKeyDown: (e: KeyboardEvent) => {
                if (e.key !== 'Enter' && e.key !== ' ') return;
                e.preventDefault();
                e.stopPropagation();
                pick(t.spans);
              },
            })}
          >
            <circle cx={x(i)} cy={y(logs[i] ?? 0)} r={Math.min(9, (w - 2 * pad) / trials.length)} fill="transparent" />
            <circle
              cx={x(i)}
              cy={y(logs[i] ?? 0)}
              r={t.spans === chosen ? 4 : 2}
              fill={t.spans === chosen ? 'var(--paper)' : 'var(--ink)'}
              stroke={t.spans === chosen ? 'var(--accent)' : 'none'}
              strokeWidth="2"
            />
            <title>{words(t)}</title>
          </g>
        ))}
        <text x={pad} y={h - 3} fontSize="9" fill="var(--soft)">
          {first?.spans} span{first?.spans === 1 ? '' : 's'}
        </text>
        <text x={w - pad} y={h - 3} textAnchor="end" fontSize="9" fill="var(--soft)">
          {last?.spans} spans
        </text>
      </svg>
    </figure>
  );
}

const words = (t: Trial): string => `${t.spans} span${t.spans === 1 ? '' : 's'}, ${t.cvs} CVs along: ${t.ratio.toFixed(2)} times the aim`;
