import type { Region } from '../../state/regions';
import { small } from '../figures';
import { edgeWords } from '../../state/words';

interface Cut {
  face: string;
  edge: string;
  length: number;
  cvs: number;
  off: number;
}

/** What a trim found: its regions and the new edges. */
export function TrimFigures({ facts }: { facts: Record<string, unknown> | undefined }) {
  const regions = facts?.regions as Region[] | undefined;
  const cuts = facts?.cuts as Cut[] | undefined;
  return (
    <>
      {regions && (
        <dl className="figures">
          <dt>Regions</dt>
          <dd>
            {regions.filter((r) => r.kept).length} of {regions.length} kept
          </dd>
        </dl>
      )}
      {cuts?.map((c) => (
        <dl className="figures" key={`${c.face} ${c.edge}`} aria-label={edgeWords(c.face, c.edge)}>
          <dt>{edgeWords(c.face, c.edge)}</dt>
          <dd>{small(c.length)} mm</dd>
          <dt>CVs · off the face</dt>
          <dd>
            {c.cvs} · {small(c.off)} mm
          </dd>
        </dl>
      ))}
    </>
  );
}
