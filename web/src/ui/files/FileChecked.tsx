import type { FileCheck } from '../../api/types';
import { formatted, length } from '../figures';

const MANY = 6;

/** What was found in the file that would go out: what it holds, what is open, and the seams from the worst on. */
export function FileChecked({ found }: { found: FileCheck }) {
  const { faces, curves, seams, open_edges: open, problems } = found;
  const reached = (what: string | null) => seams.filter((s) => s.reaches === what).length;
  const parts = [`${reached('G2')} G2`, `${reached('G1')} G1`, `${reached('G0')} G0`, `${seams.length - reached('G2') - reached('G1') - reached('G0')} open`];
  return (
    <section className="file-check" aria-label="The file, read back">
      <p>
        Read back: {faces} {faces === 1 ? 'face' : 'faces'}
        {curves > 0 && `, ${curves} ${curves === 1 ? 'curve' : 'curves'}`}. {found.closed ? 'No edge is open.' : `${open.length} ${open.length === 1 ? 'edge is' : 'edges are'} open.`}
      </p>
      {problems.map((p) => (
        <p key={p.name} role="alert">
          {p.name} would be missing: {p.reason}
        </p>
      ))}
      {seams.length > 0 && (
        <table>
          <caption>
            {seams.length} {seams.length === 1 ? 'seam' : 'seams'}: {parts.filter((p) => !p.startsWith('0 ')).join(', ')}
            {seams.length > MANY && `; the worst ${MANY}`}
          </caption>
          <thead>
            <tr>
              <th>Between</th>
              <th>gap</th>
              <th>angle</th>
              <th>curvature</th>
              <th>reaches</th>
            </tr>
          </thead>
          <tbody>
            {seams.slice(0, MANY).map((s, k) => (
              <tr key={k}>
                <td>{s.faces.join(' · ')}</td>
                <td>{formatted('gap', s.gap)}</td>
                <td>{formatted('angle', s.angle)}</td>
                <td>{formatted('curvature', s.curvature)}</td>
                <td>{s.reaches ?? 'nothing'}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {open.length > 0 && (
        <p className="quiet">
          Open: {open.slice(0, MANY).map((o) => `${o.face} ${o.edge} (${length(o.length)} mm)`).join('; ')}
          {open.length > MANY && ` and ${open.length - MANY} more`}
        </p>
      )}
    </section>
  );
}
