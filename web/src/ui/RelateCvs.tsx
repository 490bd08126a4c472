import type { Cv } from '../state/tools';
import { changeParams } from '../state/actions';
import { cvPoint } from '../scene/cvDrag';
import { useStudy, type Shape } from '../state/study';
import { relationsOf, type Relation } from './Relations';

const round = (v: number): number => Math.round(v * 1000) / 1000;

/** What can be asked of the picked CVs, each as it is now. */
function offers(shape: Shape, cvs: number[]): [string, Relation][] {
  const p = cvs.map((i) => cvPoint(shape, [i, 0]));
  const [a, b, c, d] = cvs as [number, number, number, number];
  const angle = (pairs: number[], u: number[], v: number[]): Relation => {
    const leg = ([i, j]: number[]) => p[j ?? 0]!.clone().sub(p[i ?? 0]!);
    return { kind: 'angle', cvs: pairs, value: round((leg(u).angleTo(leg(v)) * 180) / Math.PI) };
  };
  if (cvs.length === 1) return [['Stays here', { kind: 'fixed', cvs, point: p[0]?.toArray() ?? [] }]];
  if (cvs.length === 2)
    return [
      ...['x', 'y', 'z'].map((name, axis): [string, Relation] => [`Same ${name}`, { kind: 'same', cvs, axis }]),
      ['Leg length', { kind: 'length', cvs, value: round(p[0]?.distanceTo(p[1] ?? p[0]) ?? 0) }],
      ...['x', 'y', 'z'].map((name, axis): [string, Relation] => [`Mirror at ${name} = 0`, { kind: 'symmetric', cvs, axis, value: 0 }]),
    ];
  if (cvs.length === 3)
    return [
      ['In line', { kind: 'collinear', cvs }],
      ['Equal legs', { kind: 'equal', cvs: [a, b, b, c] }],
      ['Angle', angle([b, a, b, c], [1, 0], [1, 2])],
    ];
  if (cvs.length === 4)
    return [
      ['Equal legs', { kind: 'equal', cvs: [a, b, c, d] }],
      ['Angle', angle([a, b, c, d], [0, 1], [2, 3])],
    ];
  return [];
}

/** Buttons that relate the picked CVs of a curve. */
export function RelateCvs({ id, shape, cvs }: { id: string; shape: Shape; cvs: readonly Cv[] }) {
  const params = useStudy((s) => s.study?.features.find((f) => f.id === id)?.params);
  const all = relationsOf(params);
  return (
    <div role="group" aria-label="Relate the picked CVs">
      <div className="row">
        <span className="quiet">Relate</span>
      </div>
      <div className="chips">
        {offers(shape, cvs.map(([i]) => i)).map(([label, relation]) => (
          <button key={label} className="chip" onClick={() => changeParams(id, { relations: [...all, relation] }, true)}>
            {label}
          </button>
        ))}
      </div>
    </div>
  );
}
