import type { Params } from '../../api/types';
import { toolOf } from '../../state/catalog';
import { changeParams } from '../../state/drafts';
import { together, useWays, type Sketch } from '../../state/ways';
import { small } from '../figures';

interface Props {
  id: string;
  kind: string;
  facts: Params | undefined;
}

const SIZE = 46;
const point = (x: number, y: number): [number, number] => [SIZE / 2 + x * (SIZE / 2 - 4), SIZE / 2 - y * (SIZE / 2 - 4)];

/** Small pictures of the ways a hole can be laid out or cut back, those that were built first; a click takes one. */
export function Sketches({ id, kind, facts }: Props) {
  const figure = toolOf(kind)?.figures.find((f) => f.form === 'sketches');
  const told = useWays((s) => s.told);
  const rows = together(id, (figure && (facts?.[figure.key] as Sketch[] | undefined)) ?? [], told);
  const left = told?.id === id ? told.left : 0;
  if (!figure || rows.length < 2) return null;
  const pick = (way: string) => {
    const [choice, word, field] = figure.fills ?? [];
    if (choice && word && field) changeParams(id, { [choice]: word, [field]: way }, true);
  };
  return (
    <figure className="sketches">
      <figcaption className="quiet">
        {figure.label}
        {left > 0 && <span role="status">{left} still being built</span>}
      </figcaption>
      <div role="radiogroup" aria-label={figure.label}>
        {rows.map((row) => (
          <button key={row.name} role="radio" aria-checked={row.chosen ?? false} aria-label={words(row)} title={words(row)} onClick={() => pick(row.name)}>
            <svg viewBox={`0 0 ${SIZE} ${SIZE}`} width={SIZE} height={SIZE} aria-hidden="true">
              <polygon points={rim(row.sides)} />
              {row.sketch.map(([a, b, c, d], i) => {
                const [from, to] = [point(a, b), point(c, d)];
                return <line key={i} x1={from[0]} y1={from[1]} x2={to[0]} y2={to[1]} />;
              })}
            </svg>
            <span className={row.best ? 'best' : undefined}>{row.best && row.over !== undefined && row.over <= 1 ? 'best' : row.said ?? (row.over === undefined ? '\u2013' : row.over <= 1 ? 'holds' : `${small(row.over)} ×`)}</span>
          </button>
        ))}
      </div>
    </figure>
  );
}

const rim = (sides: number): string =>
  Array.from({ length: sides }, (_, i) => {
    const angle = Math.PI / 2 + (2 * Math.PI * i) / sides;
    return point(Math.cos(angle), Math.sin(angle)).join(',');
  }).join(' ');

function words({ name, patches, cvs, over, about, best }: Sketch): string {
  if (about !== undefined) return `${name}: ${about}`;
  const rank = best ? ', the best of those that were built' : '';
  const made = over === undefined ? 'not built yet' : over <= 1 ? 'holds' : `worst figure ${small(over)} times its aim`;
  return `${name}: ${patches} ${patches === 1 ? 'patch' : 'patches'}${cvs === undefined ? '' : `, ${cvs} CVs`}, ${made}${rank}`;
}
