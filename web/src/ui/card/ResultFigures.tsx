import type { Params } from '../../api/types';
import { fieldsOf, toolOf, type Figure } from '../../state/catalog';
import { changeParams } from '../../state/drafts';
import { held, small } from '../figures';
import { TradeOff, type Trial } from './TradeOff';

/** The figures of a result, as its tool describes them. */
export function ResultFigures({ id, kind, facts }: { id: string; kind: string; facts: Params | undefined }) {
  const figures = toolOf(kind)?.figures ?? [];
  const told = figures.filter((f) => f.form !== 'trade-off').flatMap((f) => rows(f, facts?.[f.key]));
  const trade = figures.find((f) => f.form === 'trade-off');
  const trials = trade && (facts?.[trade.key] as Trial[] | undefined);
  const spans = fieldsOf(kind).find((f) => f.name === 'spans');
  const pick = spans?.whole ? (n: number) => changeParams(id, { spans: n }, true) : undefined;
  return (
    <>
      {told.length > 0 && (
        <dl className="figures">
          {told.map(([title, value]) => (
            <div key={title} style={{ display: 'contents' }}>
              <dt>{title}</dt>
              <dd>{value}</dd>
            </div>
          ))}
        </dl>
      )}
      {trials && trials.length > 1 && <TradeOff title={trade.label} trials={trials} chosen={(facts?.[spans?.found ?? ''] as number | undefined) ?? 1} pick={pick} />}
    </>
  );
}

/** A figure as lines of a title and a value; none where the result has it not. */
function rows(figure: Figure, value: unknown): [string, string][] {
  const unit = (v: string, u: string) => (u ? `${v}${u === '°' ? '' : ' '}${u}` : v);
  if (value === null || value === undefined) return [];
  switch (figure.form) {
    case 'number':
      return [[figure.label, unit(Number.isInteger(value) || Math.abs(value as number) >= 1000 ? (value as number).toLocaleString('en', { maximumFractionDigits: 1 }) : small(value as number), figure.unit)]];
    case 'words':
      return [[figure.label, value as string]];
    case 'size':
      return [[figure.label, unit((value as number[]).map((v) => v.toFixed(1)).join(' × '), figure.unit)]];
    case 'list':
      return (value as number[]).map((v, i) => [(v < 0 && figure.negative ? figure.negative : figure.each).replace('{n}', String(i + 1)), unit(small(Math.abs(v)), figure.unit)]);
    case 'parts': {
      const entries = value as Record<string, number | null>[];
      return entries.map((entry, i) => [
        entries.length > 1 ? figure.each.replace('{n}', String(i + 1)) : figure.label,
        figure.parts.flatMap(([name, u]) => (typeof entry[name] === 'number' ? [held(entry[name], u)] : [])).join(' · '),
      ]);
    }
    default:
      return [];
  }
}
