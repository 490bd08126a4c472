import { Menu } from '@mantine/core';
import { memo, useEffect, useMemo, useRef, useState } from 'react';

import type { Viewport } from '../../scene/viewport';
import { commit } from '../../state/session';
import { useStudy, type SeamLine } from '../../state/study';
import { useView } from '../../state/view';
import { seamNames } from '../../state/words';
import { degrees, length, mm, percent, small } from '../figures';
import { Fold } from '../Fold';
import { openSeam } from './openSeam';
import { Strip } from './Strip';

const MARKS = { holds: '●', close: '◐', over: '▲' } as const;

/** Height of a line in pixels, and how many are drawn whether they are in sight or not. */
const [HIGH, AHEAD] = [29, 30];

/** All seams, worst first, with live figures; beside them the strip of the picked one. */
export function Ledger({ viewport }: { viewport: Viewport | null }) {
  const shown = useStudy((s) => s.shown);
  const activeSeam = useView((s) => s.activeSeam);
  const { seams } = shown;
  const at = seams.findIndex((s) => s.key === activeSeam);
  const active = seams[at] ?? null;
  const names = useMemo(() => seamNames(seams), [seams]);
  const nameOf = (s: SeamLine) => names.get(s.key) ?? s.name;
  const scroll = useRef<HTMLDivElement>(null);
  // Of a long ledger only what is in sight is drawn, and some lines around it.
  const [top, setTop] = useState(0);
  const first = Math.max(0, Math.min(top, seams.length) - AHEAD);
  const last = Math.min(seams.length, top + 2 * AHEAD);
  const place = useRef(at);
  place.current = at;
  useEffect(() => {
    const box = scroll.current;
    const line = place.current * HIGH;
    // Figures change the order of the lines; only another seam moves the list.
    if (box && line >= 0 && (line < box.scrollTop || line > box.scrollTop + box.clientHeight - 2 * HIGH)) box.scrollTop = line - HIGH;
  }, [activeSeam]);

  return (
    <section className={`paper ledger${active ? ' with-strip' : ''}`} aria-label="Seam ledger">
      <Fold panel="ledger" />
      <div className="seams" ref={scroll} onScroll={(e) => setTop(Math.floor(e.currentTarget.scrollTop / HIGH))}>
        {seams.length ? (
          <table aria-rowcount={seams.length + 1}>
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
              <Space height={first * HIGH} />
              {seams.slice(first, last).map((s, i) => (
                <Line key={s.key} seam={s} name={nameOf(s)} row={first + i + 2} active={s.key === activeSeam} viewport={viewport} />
              ))}
              <Space height={(seams.length - last) * HIGH} />
            </tbody>
          </table>
        ) : (
          <p className="empty">No edges meet yet. Blend two edges, and both seams appear here with their figures.</p>
        )}
      </div>
      {active && <Strip seam={active} name={nameOf(active)} viewport={viewport} />}
    </section>
  );
}

/** Room that lines out of sight take. */
const Space = ({ height }: { height: number }) => (height > 0 ? <tr aria-hidden style={{ height }} /> : null);

/** A seam's line; it is drawn anew only when the seam is another: most stand still while a CV moves. */
const Line = memo(function Line({ seam: s, name, row, active, viewport }: { seam: SeamLine; name: string; row: number; active: boolean; viewport: Viewport | null }) {
  const open = () => openSeam(s, viewport);
  return (
    <tr tabIndex={0} aria-rowindex={row} aria-label={`Seam ${name}`} className={s.stale ? 'stale' : undefined} aria-selected={active} onClick={open} onKeyDown={(e) => e.key === 'Enter' && open()}>
      <td title={`${name}${s.opposed ? ', normals opposed' : ''}`}>
        {name}
        {s.opposed ? ' ⇅' : ''}
      </td>
      <td>
        <Target seam={s.key} name={name} target={s.target} />
      </td>
      <td>{mm(s.gap.max)}</td>
      <td>{degrees(s.angle.max)}</td>
      <td>{percent(s.curvature.max)}</td>
      <td>{small(s.curvature.absolute)}</td>
      <td>{length(s.length)}</td>
      <td>
        {s.stale ? (
          <span className="state" title={`Measured on a last good shape: ${s.state}`}>
            ○ last shape
          </span>
        ) : (
          <span className={`state ${s.state}`}>
            {MARKS[s.state]} {s.state}
          </span>
        )}
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
