import { measure } from '../figures';

export interface MeasuredFacts {
  value: number | null;
  unit: string;
  lines: [[number, number, number], [number, number, number]][];
}

/** What a step that measures has found. */
export function Measured({ facts }: { facts: Record<string, unknown> | undefined }) {
  const found = facts?.measured as MeasuredFacts | undefined;
  const parts = facts?.parts as number[] | undefined;
  if (!found) return null;
  return (
    <>
      <div className="measured" role="status" aria-label="Measured">
        {measure(found)}
      </div>
      {parts && (
        <dl className="figures">
          {['X', 'Y', 'Z'].map((axis, i) => (
            <div key={axis} style={{ display: 'contents' }}>
              <dt>Along {axis.toLowerCase()}</dt>
              <dd>{(parts[i] ?? 0).toFixed(3)} mm</dd>
            </div>
          ))}
        </dl>
      )}
    </>
  );
}
