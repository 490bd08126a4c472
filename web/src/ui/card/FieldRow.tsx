import { SegmentedControl, Select, Switch } from '@mantine/core';

import type { EdgeRef, PlaceRef, Point } from '../../api/types';
import { shownFaces } from '../../state/actions';
import { clicked, isRef, type Field } from '../../state/catalog';
import { isPlaceRef, placeAt } from '../../state/placing';
import { roundHole } from '../../state/session';
import { featureName, planeSteps, useStudy } from '../../state/study';
import { eye } from '../../state/view';
import { ExpressionField } from './ExpressionField';
import { refWords } from '../../state/words';
import { Found, Sliding } from './Sliding';

interface Props {
  field: Field;
  /** Name for those who hear the card; the title by default. */
  label?: string;
  value: unknown;
  /** What an open one came to. */
  found?: number | null;
  /** What a list of numbers starts with. */
  first?: number;
  change(value: unknown, final?: boolean): void;
  /** Ask for another line or face in place of the one that is there. */
  repick?(kind: 'line' | 'face' | 'plane' | 'point'): void;
  /** Let the next pick go to this list. */
  ask?(): void;
  /** Whether the next pick goes here. */
  asking?: boolean;
  /** Whether its step is kept: a line or face that it lacks is picked once it is asked for. */
  kept?: boolean;
}

const AXES = ['X', 'Y', 'Z'];
/** Words longer than this in all do not fit side by side. */
const SIDE_BY_SIDE = 20;
/** Width of a list, px: its longest words are read whole. */
const SELECT = 152;

/** Whether a field may be left out, and waits until it is asked for. */
const leftOut = (field: Field): boolean => field.optional && !field.placed;

/** One line of a tool's card. */
export function FieldRow({ field, label = field.title, value, found = null, first, change, repick, ask, asking = false, kept = false }: Props) {
  const now: unknown = value === undefined ? field.fallback : value;
  switch (field.widget) {
    case 'line':
    case 'face': {
      const what = field.widget;
      return (
        <Row title={field.title}>
          {isRef(now) && !asking ? (
            <span className="chips">
              <button className="target" aria-label={`${field.title}: ${refWords(now)}, pick another`} title="Pick another" onClick={() => repick?.(what)}>
                {refWords(now)}
              </button>
              {leftOut(field) && (
                <button className="chip" aria-label={`${field.title}: none`} title="Take out" onClick={() => change(null)}>
                  ×
                </button>
              )}
            </span>
          ) : (kept || leftOut(field)) && !asking ? (
            <button className="target" aria-label={`${field.title}: pick a ${what}`} title={`Pick a ${what}`} onClick={() => (kept ? repick?.(what) : ask?.())}>
              none
            </button>
          ) : (
            <span className="asked">pick a {what}</span>
          )}
        </Row>
      );
    }
    case 'regions':
      return null;
    case 'lines':
    case 'planes':
    case 'faces': {
      const refs = (now as EdgeRef[] | null) ?? [];
      return (
        <Row title={field.title}>
          <span className="chips">
            {refs.map((ref, i) => (
              <button key={i} className="chip" title="Take out" onClick={() => change(refs.filter((_, k) => k !== i))}>
                {refWords(ref)}
              </button>
            ))}
            {(asking || refs.length < field.least) && <span className="asked">pick {field.widget}</span>}
            {refs.length >= field.least && (
              <button className="chip" aria-label={`${field.title}: pick more`} aria-pressed={asking} title="Pick more" onClick={ask}>
                +
              </button>
            )}
            {field.every && (
              <button className="chip" title="All faces that are shown" onClick={() => change(shownFaces())}>
                all faces
              </button>
            )}
            {field.rounds && refs.length === 1 && (
              <button className="chip" title="All edges round the hole that this one borders" onClick={() => void roundHole(refs[0] as EdgeRef).then((all) => all.length && change(all))}>
                round the hole
              </button>
            )}
          </span>
        </Row>
      );
    }
    case 'plane':
      return <PlaneRow field={field} value={now as { feature: string } | null} change={change} />;
    case 'place':
      return isPlaceRef(now) ? (
        <HangingRow field={field} value={now} change={change} />
      ) : (
        <PointRow field={field} value={now as Point | null} change={change} pick={asking ? null : () => repick?.('point')} />
      );
    case 'points':
      return (
        <Row title={field.title}>
          <span className="quiet">{((now as Point[] | null) ?? []).length || 'click to place'}</span>
        </Row>
      );
    case 'cvs': {
      const count = clicked(now).length;
      return count < 2 ? (
        <Row title={field.title}>
          <span className="asked">{count ? 'click the next one' : 'click to place'}</span>
        </Row>
      ) : null;
    }
    case 'point':
      return <PointRow field={field} value={now as Point | null} change={change} />;
    case 'continuity':
      return (
        <Row title={field.title} stacked={field.optional}>
          <SegmentedControl
            size="xs"
            fullWidth={field.optional}
            aria-label={label}
            data={[...(field.optional ? ['free'] : []), ...['G0', 'G1', 'G2', 'G3'].slice(0, field.most + 1)]}
            value={typeof now === 'number' ? `G${now}` : 'free'}
            onChange={(g) => change(g === 'free' ? null : Number(g[1]))}
          />
        </Row>
      );
    case 'choice':
      return (
        <Row title={field.title}>
          {field.choices.map((c) => field.labels[c] ?? c).join('').length < SIDE_BY_SIDE && !field.optional ? (
            <SegmentedControl size="xs" aria-label={field.title} data={options(field)} value={String(now)} onChange={(v) => change(v)} />
          ) : (
            <Select
              size="xs"
              w={SELECT}
              aria-label={field.title}
              data={options(field)}
              placeholder="as proposed"
              clearable={field.optional}
              allowDeselect={field.optional}
              value={typeof now === 'string' ? now : null}
              onChange={(v) => change(v)}
            />
          )}
        </Row>
      );
    case 'switch':
      return (
        <Row title={field.title}>
          <Switch size="xs" aria-label={field.title} checked={now === true} onChange={(e) => change(e.currentTarget.checked)} />
        </Row>
      );
    case 'numbers': {
      const numbers = (now as (number | string)[] | null) ?? [];
      return (
        <Row title={field.title}>
          <span style={{ display: 'flex', flexWrap: 'wrap', gap: 4 }}>
            {numbers.map((n, i) => (
              <ExpressionField
                key={i}
                label={`${field.title} ${i + 1}`}
                width={58}
                value={n}
                optional={field.open && numbers.length > Math.max(1, field.least)}
                several={field.open ? (all) => change(numbers.flatMap((x, k) => (k === i ? all : [x]))) : undefined}
                onChange={(v) => change(v === null ? numbers.filter((_, k) => k !== i) : numbers.map((x, k) => (k === i ? v : x)))}
              />
            ))}
            {field.open && (
              <button className="chip" aria-label={`${field.title}: one more`} title="One more" onClick={() => change([...numbers, numbers.at(-1) ?? first ?? (field.unit ? 10 : 0.5)])}>
                +
              </button>
            )}
          </span>
        </Row>
      );
    }
    case 'slider':
      return <Sliding field={field} label={label} value={now as number | null} found={found} change={change} />;
    case 'picture scale':
    case 'number':
      return (
        <Row title={field.title}>
          {field.found ? <Found field={field} value={now as number | null} found={found} change={change} /> : (
          <ExpressionField
            label={field.title}
            unit={field.unit}
            optional={field.optional}
            value={now as number | string | null}
            onChange={(v) => change(field.whole && typeof v === 'number' ? Math.round(v) : v)}
          />
          )}
        </Row>
      );
    default:
      return null;
  }
}

const options = (field: Field) => field.choices.map((value) => ({ value, label: field.labels[value] ?? value }));

function Row({ title, stacked = false, children }: { title: string; stacked?: boolean; children: React.ReactNode }) {
  return (
    <div className={stacked ? 'row stacked' : 'row'}>
      <span className="quiet">{title}</span>
      {children}
    </div>
  );
}

/** A place that follows a line or a CV; it can be let go of, where it lies now. */
function HangingRow({ field, value, change }: { field: Field; value: PlaceRef; change(value: unknown): void }) {
  const shapes = useStudy((s) => s.shown.shapes);
  const at = placeAt(value, shapes)?.map((v) => Math.round(v * 1e4) / 1e4);
  const onLine = 'edge' in value;
  const where = onLine ? (value.at === 0 ? 'start of ' : value.at === 1 ? 'end of ' : '') : `CV ${value.cv + 1} of `;
  return (
    <Row title={field.title}>
      <span className="hanging">
        <button className="target" title="Follows it. Click to let go and keep the place as numbers." disabled={!at} onClick={() => at && change(at)}>
          {where}
          {onLine ? refWords(value) : featureName(value.feature)}
        </button>
        {onLine && value.at > 0 && value.at < 1 && (
          <ExpressionField label={`${field.title}: share of the length`} width={64} value={value.at} onChange={(v) => typeof v === 'number' && change({ ...value, at: Math.min(1, Math.max(0, v)) })} />
        )}
      </span>
    </Row>
  );
}

function PlaneRow({ field, value, change }: { field: Field; value: { feature: string } | null; change(value: unknown): void }) {
  const features = useStudy((s) => s.study?.features);
  const planes = planeSteps(features);
  if (!planes.length && !value) return null;
  return (
    <Row title={field.title}>
      <Select
        size="xs"
        w={SELECT}
        aria-label={field.title}
        placeholder="none"
        clearable
        data={planes.map((p) => ({ value: p.id, label: p.name }))}
        value={value?.feature ?? null}
        onChange={(id) => change(id ? { feature: id } : null)}
      />
    </Row>
  );
}

function PointRow({ field, value, change, pick }: { field: Field; value: Point | null; change(value: unknown): void; pick?: (() => void) | null }) {
  if (!value)
    return (
      <Row title={field.title}>
        {!leftOut(field) && <span className="asked">click to place</span>}
        {leftOut(field) && pick === null && <span className="asked">click on the part</span>}
        {leftOut(field) && pick !== null && (
          <button className="target" title={pick ? 'Place it on the part, or hang it on an end, a CV or a line' : undefined} onClick={pick ?? (() => change([0, 0, 1]))}>
            {field.unset}
          </button>
        )}
      </Row>
    );
  return (
    <div style={{ marginTop: 8 }}>
      <span className="quiet">{field.title}</span>{' '}
      {pick === null && <span className="asked">click on the part</span>}
      {pick && (
        <button className="target" title="Place it on the part, or hang it on an end, a CV or a line" onClick={pick}>
          on the part
        </button>
      )}
      {field.direction && (
        <button className="target" title="The direction in which you look at the part" onClick={() => change(eye.direction().map((v) => Math.round(v * 1e6) / 1e6))}>
          from the view
        </button>
      )}{' '}
      {leftOut(field) && (
        <button className="target" onClick={() => change(null)}>
          {field.unset}
        </button>
      )}
      <div style={{ display: 'flex', gap: 4, marginTop: 2 }}>
        {AXES.map((axis, i) => (
          <ExpressionField
            key={axis}
            label={`${field.title} ${axis}`}
            width={70}
            value={value[i] ?? 0}
            onChange={(v) => change(value.map((x, k) => (k === i ? v : x)))}
          />
        ))}
      </div>
    </div>
  );
}
