import { Button } from '@mantine/core';

import type { Params } from '../api/types';
import { startRepick } from '../state/actions';
import { changeParams } from '../state/drafts';
import { complete, counts, useCatalog, type Field } from '../state/catalog';
import { useStudy } from '../state/study';
import { useTools, type Repick } from '../state/tools';
import { CurveFigures } from './CurveFigures';
import { DraftKeys } from './DraftKeys';
import { FaceFigures } from './FaceFigures';
import { FieldRow } from './FieldRow';
import { small } from './figures';
import { Directions } from './Directions';
import { LostReference } from './LostReference';
import { Measured } from './Measured';
import { PictureScale } from './PictureScale';
import { Relations } from './Relations';
import { TrimFigures } from './TrimFigures';
import { WholeCurve } from './WholeCurve';

interface Props {
  id: string;
  kind: string;
  name: string;
  params: Params;
  draft: boolean;
}

/** The card of any tool, drawn from its schema: what it was given, its numbers, what it made. */
export function ToolCard({ id, kind, name, params, draft }: Props) {
  const tool = useCatalog((s) => s.tools.get(kind));
  const fields = useCatalog((s) => s.fields.get(kind)) ?? [];
  const state = useStudy((s) => s.shown.features.get(id));
  const problem = useTools((s) => s.problem);
  const repick = useTools((s) => s.repick);
  const asks = useTools((s) => s.asking);
  // What a kept step was given may lie with the server alone.
  const ready = !draft || complete(fields, params);
  const change = (changes: Params, final = true) => changeParams(id, changes, final);
  const shown = fields.filter((f) => f.kind !== 'other' && !f.unseen && (ready || f.required) && counts(f, fields, params));
  return (
    <section className="paper card" aria-label={`Card of ${name}`}>
      <h2>{name}</h2>
      {draft && !ready ? <div className="quiet">{tool?.ask}</div> : !name.startsWith(tool?.label ?? '') && <div className="quiet">{tool?.label}</div>}
      {shown.map((field) => (
        <FieldRow
          key={field.name}
          field={field}
          value={params[field.name]}
          change={(value, final) => change({ [field.name]: value }, final)}
          repick={(what) => (draft && what !== 'point' ? change({ [field.name]: undefined }) : startRepick({ id, field: field.name, kind: what }))}
          ask={() => (draft ? useTools.setState({ asking: field.name }) : startRepick(moreOf(id, field, params)))}
          asking={(repick?.id === id && repick.field === field.name) || (draft && asks === field.name)}
        />
      ))}
      {kind === 'picture' && <PictureScale id={id} params={params} />}
      {kind === 'cv_curve' && !draft && <WholeCurve id={id} />}
      {kind === 'cv_curve' && !draft && <Relations id={id} params={params} />}
      {kind === 'point_curve' && !draft && <Directions id={id} params={params} />}
      {state?.lost && <LostReference id={id} lost={state.lost} />}
      <FaceFigures id={id} changes={state?.changes} />
      <TrimFigures facts={state?.facts} />
      <Measured facts={state?.facts} />
      <Deviation facts={state?.facts} />
      <CurveFigures facts={state?.facts} />
      {state?.warnings.map((w) => (
        <div className="note" key={w}>
          {w}
        </div>
      ))}
      {(state?.problem ?? (draft ? problem : null)) && <div className="note bad">▲ {state?.problem ?? problem}</div>}
      {state?.offer && (
        <div className="keys still">
          <Button size="xs" variant="light" onClick={() => state.offer && change(state.offer.changes)}>
            {state.offer.label}
          </Button>
        </div>
      )}
      {draft && <DraftKeys ready={ready} leave />}
    </section>
  );
}

const KINDS = { lines: 'line', faces: 'face', planes: 'plane' } as const;

/** One more pick for a list of a step that is kept. */
function moreOf(id: string, field: Field, params: Params): Repick {
  const sofar = (params[field.name] as unknown[] | undefined) ?? [];
  return { id, field: field.name, kind: KINDS[field.kind as keyof typeof KINDS], take: (ref) => changeParams(id, { [field.name]: [...sofar, ref] }, true) };
}

/** Movement of a CV in mm that is rounding. */
const STILL = 1e-9;

/** How far the result strays from what it was asked to follow. */
function Deviation({ facts }: { facts: Record<string, unknown> | undefined }) {
  const rows: [string, string][] = [];
  const number = (key: string, title: string, unit: string) => {
    const value = facts?.[key];
    if (typeof value === 'number') rows.push([title, `${small(value)} ${unit}`]);
  };
  number('deviation', 'Deviation', 'mm');
  number('off_surface', 'Off the surface', 'mm');
  number('cvs_before', 'CVs before', '');
  number('chord', 'Chord', 'mm');
  number('gap', 'Gap', 'mm');
  number('radius', 'Radius', 'mm');
  number('left_u', 'Left of it along u', '%');
  number('left_v', 'Left of it along v', '%');
  number('pieces', 'Pieces', '');
  const grown = facts?.grown as number[] | undefined;
  grown?.forEach((g, i) => rows.push([`Curve ${i + 1} ${g < 0 ? 'cut by' : 'grew by'}`, `${small(Math.abs(g))} mm`]));
  const joints = facts?.joints as { gap: number; angle: number; curvature: number }[] | undefined;
  joints?.forEach((j, i) =>
    rows.push([joints.length > 1 ? `Joint ${i + 1}` : 'Joint', `${small(j.gap)} mm · ${small(j.angle)}° · ${small(j.curvature)} %`]),
  );
  const moved = facts?.moved as number[] | number | undefined;
  if (typeof moved === 'number') rows.push(['CVs moved by up to', `${small(moved)} mm`]);
  else if (moved) {
    const which = moved.flatMap((by, i) => (by > STILL ? [i + 1] : []));
    const far = Math.max(...moved);
    rows.push(['CVs moved', which.length ? `${which.join(', ')} of ${moved.length}, up to ${small(far)} mm` : 'none']);
  }
  if (!rows.length) return null;
  return (
    <dl className="figures">
      {rows.map(([title, value]) => (
        <div key={title} style={{ display: 'contents' }}>
          <dt>{title}</dt>
          <dd>{value}</dd>
        </div>
      ))}
    </dl>
  );
}
