import { Menu } from '@mantine/core';
import { memo } from 'react';

import type { Viewport } from '../../scene/viewport';
import { commit } from '../../state/session';
import { useStudy, type SeamLine } from '../../state/study';
import { useView } from '../../state/view';
import { degrees, length, mm, percent, small } from '../figures';
import { Fold } from '../Fold';
import { openSeam } from './openSeam';
import { Strip } from './Strip';

const MARKS = { holds: '●', close: '◐', over: '▲' } as const;

/** All seams, worst first, with live figures; beside them the strip of the picked one. */
export function Ledger({ viewport }: { viewport: Viewport | null }) {
  const shown = useStudy((s) => s.shown);
  const activeSeam = useView((s) => s.activeSeam);
  const active = shown.seams.find((s) => s.key === activeSeam) ?? null;

  return (
    <section className={`paper ledger${active ? ' with-strip' : ''}`} aria-label="Seam ledger">
      <Fold panel="ledger" />
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
                <Line key={s.key} seam={s} active={s.key === activeSeam} viewport={viewport} />
              ))}
            </tbody>
          </table>
        ) : (
          <p className="empty">No edges meet yet. Blend two edges, and both seams appear here with their figures.</p>
        )}
      </div>
      {active && <Strip seam={active} viewport={viewport} />}
    </section>
  );
}

/** A seam's line; it is drawn anew only when the seam is another: most stand still while a CV moves. */
const Line = memo(function Line({ seam: s, active, viewport }: { seam: SeamLine; active: boolean; viewport: Viewport | null }) {
  const open = () => openSeam(s, viewport);
  return (
    <tr tabIndex={0} aria-label={`Seam ${s.name}`} aria-selected={active} onClick={open} onKeyDown={(e) => e.key === 'Enter' && open()}>
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
  );
});

const Target = memo(function Target({ seam, name, target: now }: { seam: string; name: string; target: number }) {
  const set = (target: number | null) => void commit({ op: 'set_seam_target', key: seam, target });
  return (
    <Menu position="top" width={150}>
      <Menu.Target>
        <button className="target" aria-label={`Target of ${name}: G${now}`} onClick={(e) => e.stopPropagation()}>
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
