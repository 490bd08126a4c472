import { length, small } from '../figures';

export interface CurveFacts {
  degree: number;
  spans: number;
  cvs: number;
  rational: boolean;
  length: number;
  least_radius: number | null;
  least_point: [number, number, number];
  inflections: [number, number, number][];
  layout: number | null;
  faults: { cv: number; words: string }[];
}

/** Make, length and quality of the first curve that a step made. */
export function CurveFigures({ facts }: { facts: Record<string, unknown> | undefined }) {
  const curves = facts?.curves as CurveFacts[] | undefined;
  const c = curves?.[0];
  if (!c) return null;
  return (
    <>
      <dl className="figures" aria-label="Figures of the curve">
        <dt>Degree · spans · CVs</dt>
        <dd>
          {c.degree} · {c.spans} · {c.cvs}
          {c.rational ? ', rational' : ''}
        </dd>
        <dt>Length</dt>
        <dd>{length(c.length)} mm</dd>
        <dt>Least radius</dt>
        <dd>{c.least_radius === null ? 'straight' : `${small(c.least_radius)} mm`}</dd>
        <dt>Inflections</dt>
        <dd>{c.inflections.length}</dd>
        {c.layout !== null && (
          <>
            <dt>CV layout</dt>
            <dd>{c.layout.toFixed(0)} of 100</dd>
          </>
        )}
      </dl>
      {c.faults.slice(0, 3).map((f) => (
        <div className="note" key={f.cv}>
          CV {f.cv + 1}: {f.words}.
        </div>
      ))}
      {curves && curves.length > 1 && <div className="quiet">and {curves.length - 1} more</div>}
    </>
  );
}
