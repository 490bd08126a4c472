import type { EdgeRef, Params } from '../../api/types';
import { startRepick } from '../../state/actions';
import { changeParams } from '../../state/drafts';
import { complete, counts, decides, fieldsOf, LISTS, toolOf, type Field } from '../../state/catalog';
import { refWords } from '../../state/words';
import { useStudy } from '../../state/study';
import type { Repick } from '../../state/hand';
import { note, problemOf, useTools } from '../../state/tools';
import { Continuities } from './Continuities';
import { CurveFigures } from './CurveFigures';
import { DraftKeys } from './DraftKeys';
import { FaceFigures } from './FaceFigures';
import { FieldRow } from './FieldRow';
import { Foot } from './Foot';
import { Directions } from './Directions';
import { LostReference } from './LostReference';
import { Measured } from './Measured';
import { NumberEach } from './NumberEach';
import { PickByName } from './PickByName';
import { PictureScale } from './PictureScale';
import { Relations } from './Relations';
import { Reach } from './Reach';
import { ResultFigures } from './ResultFigures';
import { Sides } from './Sides';
import { Sketches } from './Sketches';
import { TrimFigures } from './TrimFigures';
import { WholeCurve } from './WholeCurve';

interface Props {
  id: string;
  kind: string;
  name: string;
  params: Params;
  draft: boolean;
}

/** The card of any tool, drawn as its tool describes itself: what it was given, its numbers, what it made. */
export function ToolCard({ id, kind, name, params, draft }: Props) {
  const tool = toolOf(kind);
  const fields = fieldsOf(kind);
  const state = useStudy((s) => s.shown.features.get(id));
  const problem = useTools(problemOf);
  const repicked = useTools(({ hand }) => hand.at === 'repicking' && hand.repick.id === id);
  const step = useStudy((s) => (draft ? undefined : s.study?.features.find((f) => f.id === id)));
  // What a kept step was given may lie with the server alone.
  const ready = !draft || complete(fields, params);
  const shown = fields.filter((f) => f.widget !== 'none' && (ready || f.required || f.placed || decides(f, fields)) && counts(f, fields, params));
  // What was refused last counts: a value that cannot be has no state of its own.
  const words = (draft ? problem : null) ?? state?.problem ?? null;
  return (
    <section className="paper card" aria-label={`Card of ${name}`}>
      <h2>{name}</h2>
      {draft && !ready ? <div className="quiet">{tool?.ask}</div> : !name.startsWith(tool?.label ?? '') && <div className="quiet">{tool?.label}</div>}
      {blocks(shown).map((block) => (
        <Block key={block[0]?.name} fields={block} id={id} kind={kind} params={params} draft={draft} facts={state?.facts} />
      ))}
      {!draft && <WholeCurve id={id} kind={kind} actions={tool?.actions ?? []} />}
      <Sketches id={id} kind={kind} facts={state?.facts} />
      {(draft || repicked) && <PickByName />}
      {state?.lost && <LostReference id={id} lost={state.lost} />}
      <FaceFigures id={id} changes={state?.changes} />
      <TrimFigures facts={state?.facts} />
      <Measured facts={state?.facts} />
      <ResultFigures id={id} kind={kind} facts={state?.facts} />
      <CurveFigures facts={state?.facts} />
      {step && <Reach step={step} facts={state?.facts} />}
      <Foot id={id} state={state} words={words}>
        {draft && <DraftKeys ready={ready} />}
      </Foot>
    </section>
  );
}

/** Fields in their order; those of two sides, and those that are folded away together, as one block. */
function blocks(fields: readonly Field[]): Field[][] {
  const out: Field[][] = [];
  const together = (f: Field) => (f.sides ? `sides ${f.sides.join()}` : f.fold && `fold ${f.fold}`);
  for (const field of fields) {
    const mate = together(field) ? out.find((block) => block[0] && together(block[0]) === together(field)) : undefined;
    if (mate) mate.push(field);
    else out.push([field]);
  }
  return out;
}

interface BlockProps extends Omit<Props, 'name'> {
  fields: readonly Field[];
  facts: Params | undefined;
}

function Block({ fields, id, kind, params, draft, facts }: BlockProps) {
  const [first] = fields;
  const change = (changes: Params, final = true) => changeParams(id, changes, final);
  if (!first) return null;
  if (first.sides) return <Sides fields={fields} params={params} facts={facts} change={change} />;
  const rows = fields.map((field) => <OneField key={field.name} {...{ field, id, kind, params, draft, facts }} />);
  if (!first.fold) return rows;
  const set = fields.filter((f) => JSON.stringify(params[f.name] ?? f.fallback ?? null) !== JSON.stringify(f.fallback ?? null)).length;
  return (
    <details className="folded" open={set > 0 || undefined}>
      <summary>
        {first.fold}
        {set > 0 && <span className="quiet"> {set} set</span>}
      </summary>
      {rows}
    </details>
  );
}

function OneField({ field, id, kind, params, draft, facts }: Omit<BlockProps, 'fields'> & { field: Field }) {
  const hand = useTools((s) => s.hand);
  const asking = hand.at === 'repicking' ? hand.repick.id === id && hand.repick.field === field.name : hand.at === 'step' && draft && hand.asking === field.name;
  const change = (value: unknown, final = true) => changeParams(id, { [field.name]: value }, final);
  switch (field.widget) {
    case 'relations':
      return draft ? null : <Relations id={id} params={params} />;
    case 'cvs':
      if (!draft) return null;
      break;
    case 'continuities': {
      const sides = fieldsOf(kind).find((f) => f.widget === 'lines');
      return (
        <Continuities
          field={field}
          sides={(params[sides?.name ?? ''] as EdgeRef[] | undefined) ?? []}
          value={(params[field.name] as number[] | undefined) ?? []}
          found={facts?.[field.found] as number[] | undefined}
          change={change}
        />
      );
    }
    case 'number each': {
      const found = field.found ? ((facts?.[field.found] as (number | null)[] | undefined) ?? []) : undefined;
      const names = found?.map((n, i) => (n === null ? null : String(i + 1))) ?? namesOf(field, kind, params);
      return <NumberEach field={field} names={names} found={found} value={(params[field.name] as (number | null)[] | undefined) ?? []} change={change} />;
    }
    case 'directions':
      return draft ? null : <Directions id={id} params={params} />;
    default:
  }
  return (
    <>
      <FieldRow
        field={field}
        value={params[field.name]}
        found={foundIn(facts, field.found)}
        first={firstOf(field, kind, params)}
        change={change}
        repick={(what) => (!draft ? startRepick({ id, field: field.name, kind: what }) : what === 'point' ? note({ asking: field.name }) : change(undefined))}
        ask={() => (draft ? note({ asking: field.name }) : startRepick(moreOf(id, field, params)))}
        kept={!draft}
        asking={asking}
      />
      {field.widget === 'picture scale' && <PictureScale id={id} kind={kind} params={params} />}
    </>
  );
}

/** The figure that says what an open number came to: by its name, and its place in a list after a dot. */
function foundIn(facts: Params | undefined, path: string): number | null {
  const [name, index] = path.split('.');
  const value: unknown = facts?.[name ?? ''];
  const one: unknown = index === undefined ? value : (value as unknown[] | undefined)?.[Number(index)];
  return typeof one === 'number' ? one : null;
}

/** What a list of numbers with a unit starts with: the number above it in the card that has the same. */
function firstOf(field: Field, kind: string, params: Params): number | undefined {
  const all = fieldsOf(kind);
  const above = all.slice(0, all.findIndex((f) => f.name === field.name)).filter((f) => field.unit && f.unit === field.unit);
  return above.map((f) => params[f.name] ?? f.fallback).filter((v): v is number => typeof v === 'number').at(-1);
}

const KINDS = { lines: 'line', faces: 'face', planes: 'plane' } as const;

/** One more pick for a list of a step that is kept. */
function moreOf(id: string, field: Field, params: Params): Repick {
  const sofar = (params[field.name] as unknown[] | undefined) ?? [];
  const kind = LISTS.includes(field.widget) && field.widget !== 'points' ? KINDS[field.widget as keyof typeof KINDS] : 'face';
  return { id, field: field.name, kind, take: (ref) => changeParams(id, { [field.name]: [...sofar, ref] }, true) };
}

/** What a list of numbers belongs to: the lines that were picked, or so many of a kind as another field says. */
function namesOf(field: Field, kind: string, params: Params): string[] {
  const fields = fieldsOf(kind);
  if (!field.counted) {
    const lines = fields.find((f) => f.widget === 'lines');
    return ((params[lines?.name ?? ''] as EdgeRef[] | undefined) ?? []).map(refWords);
  }
  const count = fields.find((f) => f.name === field.counted);
  const value = params[field.counted] ?? count?.fallback;
  return typeof value === 'number' ? Array.from({ length: value }, (_, i) => String(i + 1)) : [];
}
