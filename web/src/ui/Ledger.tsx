import { Menu } from '@mantine/core';
import { memo } from 'react';

import type { Viewport } from '../scene/viewport';
import { commit } from '../state/session';
import { useStudy, type SeamLine } from '../state/study';
import { useView, type StripFigure } from '../state/view';
import { degrees, length, mm, percent, small } from './figures';
import { Strip } from './Strip';

const MARKS = { holds: '●', close: '◐', over: '▲' } as const;

/** Below this share of its limit no figure stands out. */
const QUIET = 0.1;

/** The figure that decides a seam: the one worst against its limit, or the target's own where nothing stands out. */
export function decidingFigure(s: SeamLine, limits: { gap?: number; angle?: number; curvature?: number }): StripFigure {
  const over: [StripFigure, number][] = [
    ['gap', s.gap.max / (limits.gap ?? 0.01)],
    ['angle', s.angle.max / (limits.angle ?? 0.1)],
    ['curvature', s.curvature.max / (limits.curvature ?? 5)],
  ];
  const asked = over.slice(0, Math.min(2, s.target) + 1);
  const worst = asked.reduce((a, b) => (b[1] >= a[1] ? b : a));
  return worst[1] < QUIET ? (asked.at(-1) ?? worst)[0] : worst[0];
}

/** All seams, worst first, with live figures; beside them the strip of the picked one. */
export function Ledger({ viewport }: { viewport: Viewport | null }) {
  const { shown, study } = useStudy();
  const activeSeam = useView((s) => s.activeSeam);
  const active = shown.seams.find((s) => s.key === activeSeam) ?? null;

  const open = (seam: SeamLine) => {
    const figure = decidingFigure(seam, study?.limits ?? {});
    useView.setState({ activeSeam: seam.key, stripFigure: figure, stripRow: null });
    viewport?.flyTo(seam[figure].point, Math.max(60, seam.length * 0.9));
  };

  return (
    <section className="paper ledger" aria-label="Seam ledger">
      <div className="seams">
        {shown.seams.length ? (
          <table>
            <thead>
              <tr>
                <th scope="col">Seam</th>
                <th scope="col">Target</th>
                <th scope="col">Gap mm</th>
                <th scope="col">Angle °</th>
                <th scope="col">Curvature %</th>
                <th scope="col">1/mm</th>
                <th scope="col">Length mm</th>
                <th scope="col">State</th>
              </tr>
            </thead>
            <tbody>
              {shown.seams.map((s) => (
                <tr
                  key={s.key}
                  tabIndex={0}
                  aria-label={`Seam ${s.name}`}
                  aria-selected={s.key === activeSeam}
                  onClick={() => open(s)}
                  onKeyDown={(e) => e.key === 'Enter' && open(s)}
                >
                  <td title={`${s.name}${s.opposed ? ', normals opposed' : ''}`}>
                    {s.name}
                    {s.opposed ? ' ⇅' : ''}
                  </td>
                  <td>
                    <Target seam={s.key} name={s.name} target={s.target} />
                  </td>
                  <td>{mm(s.gap.max)}</td>
                  <td>{degrees(s.angle.max)}</td>
                  <td>{percent(s.curvature.max)}</td>
                  <td>{small(s.curvature.absolute)}</td>
                  <td>{length(s.length)}</td>
                  <td>
                    <span className={`state ${s.state}`}>
                      {MARKS[s.state]} {s.state}
                    </span>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        ) : (
          <p className="empty">No edges meet yet. Blend two edges, and both seams appear here with their figures.</p>
        )}
      </div>
      <Strip seam={active} viewport={viewport} />
    </section>
  );
}

const Target = memo(function Target({ seam, name, target: now }: { seam: string; name: string; target: number }) {
  const set = (target: number | null) => void commit({ op: 'set_seam_target', key: seam, target });
  return (
    <Menu position="top" width={150}>
      <Menu.Target>
        <button className="target" aria-label={`Target of ${name}`} onClick={(e) => e.stopPropagation()}>
          G{now}
        </button>
      </Menu.Target>
      <Menu.Dropdown onClick={(e) => e.stopPropagation()}>
        {[0, 1, 2, 3].map((g) => (
          <Menu.Item key={g} onClick={() => set(g)}>
            G{g}
          </Menu.Item>
        ))}
        <Menu.Item onClick={() => set(null)}>As proposed</Menu.Item>
      </Menu.Dropdown>
    </Menu>
  );
});
