import { ActionIcon, Menu, TextInput, Tooltip, useComputedColorScheme } from '@mantine/core';
import { IconDots, IconEye, IconEyeOff, IconLock } from '@tabler/icons-react';
import { memo, useState } from 'react';

import type { FeatureSummary, FrameFeature, Group } from '../../api/types';
import { fits, isolate, isShown, moveStep, pickFeature, setFlags, setMarker, toggleCvs } from '../../state/actions';
import { useCatalog } from '../../state/catalog';
import { wanted } from '../../state/placing';
import { featureName, isCurve, useStudy, type Shape } from '../../state/study';
import { draftNow, select, useTools } from '../../state/tools';
import { useView } from '../../state/view';
import { PALETTES } from '../../theme';
import { openers } from '../bar/commands';
import { BuildOrder } from './BuildOrder';
import { Dimensions } from './Dimensions';
import { Fold } from '../Fold';
import { measure } from '../figures';
import { Groups } from './Groups';
import type { MeasuredFacts } from '../card/Measured';
import { ROLES } from './roles';
import { StepStatus } from './StepStatus';

const NONE: Group[] = [];
const ORDERS = [
  ['build', 'In order'],
  ['role', 'By role'],
] as const;

/** The build: every step in its order or by role, with its state. */
export function BuildPanel() {
  const study = useStudy((s) => s.study);
  const order = useView((s) => s.buildOrder);
  return (
    <aside className="paper build" aria-label="Build">
      <Fold panel="build" />
      <div className="chips listed" role="radiogroup" aria-label="Steps listed">
        {ORDERS.map(([value, label]) => (
          <button key={value} className="chip" role="radio" aria-checked={order === value} onClick={() => useView.setState({ buildOrder: value })}>
            {label}
          </button>
        ))}
      </div>
      {study && !study.features.length && (
        <p className="quiet" style={{ margin: '4px 14px' }}>
          The study is empty. Draw a curve in the Curves stage, or import a STEP file.
        </p>
      )}
      {order === 'build' && study && <BuildOrder study={study} line={(f) => <Line feature={f} />} />}
      {order === 'role' && <Groups study={study} line={(f) => <Line key={f.id} feature={f} />} />}
      {order === 'role' && ROLES.map(([role, title]) => {
        const groups = study?.groups ?? [];
        const features = study?.features.filter((f) => f.role === role && !groups.some((g) => g.id === f.group)) ?? [];
        if (!features.length) return null;
        return (
          <section key={role} aria-label={title}>
            <h3>
              <span>{title}</span>
              <span>{features.length}</span>
            </h3>
            <div role="list">
              {features.map((f) => (
                <Line key={f.id} feature={f} />
              ))}
            </div>
          </section>
        );
      })}
      <Dimensions />
    </aside>
  );
}

function make(feature: FeatureSummary, shape: Shape | undefined, state: FrameFeature | undefined): string {
  const { facts, changes } = state ?? {};
  if (!feature.on) return 'off';
  if (typeof facts?.brief === 'string') return facts.brief;
  const measured = facts?.measured as MeasuredFacts | undefined;
  if (measured) return measure(measured);
  if (!shape && changes?.length) return changes.length === 1 ? featureName(changes[0] ?? '') : `${changes.length} faces`;
  if (!shape || shape.object.kind === 'plane') return '';
  if (isCurve(shape)) return `${shape.object.degree[0]} · ${shape.object.cvs.count[0]}${shape.edges.length > 1 ? ` · ${shape.edges.length} curves` : ''}`;
  return shape.object.cvs.count.join('×');
}

/** The same in full, for who asks. */
function inFull(shape: Shape | undefined, state: FrameFeature | undefined): string | undefined {
  if (!shape) return state?.changes.map(featureName).join(', ') || undefined;
  if (shape.object.kind !== 'face') return undefined;
  const { degree, cvs, trimmed } = shape.object;
  return `Degree ${degree.join(' × ')}, ${cvs.count.join(' × ')} CVs${trimmed ? ', trimmed' : ''}`;
}

/** A step. It listens to single words and flags of its shape, not to the shape: those hardly change during a drag. */
const Line = memo(function Line({ feature }: { feature: FeatureSummary }) {
  const { id } = feature;
  const problem = useStudy((s) => s.shown.features.get(id)?.problem ?? null);
  const stale = useStudy((s) => s.shown.features.get(id)?.stale ?? false);
  const shaped = useStudy((s) => s.shown.shapes.has(id));
  const status = useStudy((s) => s.shown.features.get(id)?.status ?? 'fresh');
  const curve = useStudy((s) => {
    const shape = s.shown.shapes.get(id);
    return shape !== undefined && isCurve(shape);
  });
  const words = useStudy((s) => make(feature, s.shown.shapes.get(id), s.shown.features.get(id)));
  const full = useStudy((s) => inFull(s.shown.shapes.get(id), s.shown.features.get(id)));
  const selection = useTools((s) => s.selection);
  const isolated = useView((s) => s.isolated);
  const scheme = useComputedColorScheme('light');
  const [renaming, setRenaming] = useState(false);
  const visible = isShown(feature, isolated);
  const selected = selection?.id === feature.id;
  // While a tool asks for a line or a face, a name in the list is as good as a place on the part.
  const pick = () => {
    const asked = wanted();
    if (fits(id) || (draftNow() && asked !== null && asked !== 'point')) pickFeature(id);
    else select({ kind: 'feature', id });
  };
  return (
    <div role="listitem">
      <div className={`line${visible ? '' : ' dim'}${feature.on ? '' : ' off'}${selected ? ' selected' : ''}`}>
        {renaming ? (
          <Rename feature={feature} done={() => setRenaming(false)} />
        ) : (
          <button
            className="pick"
            aria-pressed={selected}
            onClick={pick}
            onDoubleClick={() => setRenaming(true)}
            onKeyDown={(e) => {
              if (e.key === 'F2') setRenaming(true);
              if (e.altKey && (e.key === 'ArrowUp' || e.key === 'ArrowDown')) {
                e.preventDefault();
                nudge(id, e.key === 'ArrowUp' ? -1 : 1);
              }
            }}
          >
            <span className={curve ? 'swatch stroke' : 'swatch'} style={{ background: PALETTES[scheme].roles[feature.role] }} />
            <span className="name" title={feature.name}>
              <StepStatus status={status} />
              {feature.locked && <IconLock size={12} aria-label="locked" style={{ marginRight: 4, verticalAlign: -1 }} />}
              {feature.name}
            </span>
            <span className="quiet" title={full}>
              {words}
            </span>
          </button>
        )}
        <Tooltip label={feature.hidden ? 'Show' : 'Hide'} openDelay={500}>
          <ActionIcon
            variant="subtle"
            color="gray"
            size="sm"
            aria-label={`${feature.hidden ? 'Show' : 'Hide'} ${feature.name}`}
            onClick={(e) => {
              e.stopPropagation();
              void setFlags(feature.id, { hidden: !feature.hidden });
            }}
          >
            {feature.hidden ? <IconEyeOff size={15} /> : <IconEye size={15} />}
          </ActionIcon>
        </Tooltip>
        <LineMenu feature={feature} rename={() => setRenaming(true)} />
      </div>
      {problem && (
        <div className="fault" role="alert">
          {problem}
          {stale && shaped ? ' Shown is its last good shape.' : ''}
        </div>
      )}
    </div>
  );
});

/** One place earlier or later in the build. */
function nudge(id: string, by: number): void {
  const features = useStudy.getState().study?.features ?? [];
  const to = features.findIndex((f) => f.id === id) + by;
  if (to >= 0 && to < features.length) void moveStep(id, to);
}

function LineMenu({ feature, rename }: { feature: FeatureSummary; rename(): void }) {
  const drawn = useCatalog((s) => s.tools.get(feature.kind)?.movable ?? false);
  const face = useStudy((s) => s.kept.shapes.get(feature.id)?.object.kind === 'face');
  const movable = drawn || face;
  const place = useStudy((s) => s.study?.features.findIndex((f) => f.id === feature.id) ?? -1);
  const last = useStudy((s) => (s.study?.features.length ?? 0) - 1);
  const marker = useStudy((s) => s.study?.marker ?? null);
  const isolated = useView((s) => s.isolated);
  const cvs = useTools((s) => s.cvsOf.includes(feature.id));
  const groups = useStudy((s) => s.study?.groups ?? NONE);
  const only = isolated?.length === 1 && isolated[0] === feature.id;
  return (
    <Menu position="bottom-start" width={190}>
      <Menu.Target>
        <ActionIcon
          variant="subtle"
          color="gray"
          size="sm"
          aria-label={`More for ${feature.name}`}
          onClick={(e) => e.stopPropagation()}
        >
          <IconDots size={15} />
        </ActionIcon>
      </Menu.Target>
      <Menu.Dropdown onClick={(e) => e.stopPropagation()}>
        <Menu.Item onClick={rename}>Rename</Menu.Item>
        <Menu.Item onClick={() => isolate(only ? null : [feature.id])}>{only ? 'End isolation' : 'Isolate'}</Menu.Item>
        {movable && (
          <Menu.Item onClick={() => toggleCvs(feature.id)}>{cvs ? 'Hide CVs' : 'Show CVs'}</Menu.Item>
        )}
        <Menu.Item onClick={() => void setFlags(feature.id, { on: !feature.on })}>
          {feature.on ? 'Switch off' : 'Switch on'}
        </Menu.Item>
        <Menu.Item onClick={() => void setFlags(feature.id, { locked: !feature.locked })}>{feature.locked ? 'Unlock' : 'Lock'}</Menu.Item>
        <Menu.Divider />
        <Menu.Item disabled={place <= 0} onClick={() => void moveStep(feature.id, place - 1)}>
          Earlier in the build
        </Menu.Item>
        <Menu.Item disabled={place >= last} onClick={() => void moveStep(feature.id, place + 1)}>
          Later in the build
        </Menu.Item>
        <Menu.Item disabled={marker === feature.id} onClick={() => void setMarker(feature.id)}>
          Show up to here
        </Menu.Item>
        {marker !== null && <Menu.Item onClick={() => void setMarker(null)}>Show all steps</Menu.Item>}
        {groups.length > 0 && (
          <>
            <Menu.Divider />
            <Menu.Label>Group</Menu.Label>
            {groups.map((g) => (
              <Menu.Item key={g.id} disabled={g.id === feature.group} onClick={() => void setFlags(feature.id, { group: g.id })}>
                {g.name}
              </Menu.Item>
            ))}
            <Menu.Item disabled={!feature.group} onClick={() => void setFlags(feature.id, { group: '' })}>
              None
            </Menu.Item>
          </>
        )}
        <Menu.Divider />
        <Menu.Label>Role</Menu.Label>
        {ROLES.map(([role, title]) => (
          <Menu.Item key={role} disabled={role === feature.role} onClick={() => void setFlags(feature.id, { role })}>
            {title}
          </Menu.Item>
        ))}
        <Menu.Divider />
        <Menu.Item
          color="red"
          onClick={() => {
            useTools.setState({ selection: { kind: 'feature', id: feature.id } });
            openers.remove?.();
          }}
        >
          Delete…
        </Menu.Item>
      </Menu.Dropdown>
    </Menu>
  );
}

function Rename({ feature, done }: { feature: FeatureSummary; done(): void }) {
  const [text, setText] = useState(feature.name);
  const keep = () => {
    done();
    if (text.trim() && text.trim() !== feature.name) void setFlags(feature.id, { name: text.trim() });
  };
  return (
    <TextInput
      aria-label={`New name of ${feature.name}`}
      size="xs"
      autoFocus
      maxLength={120}
      value={text}
      style={{ flex: 1 }}
      onClick={(e) => e.stopPropagation()}
      onFocus={(e) => e.currentTarget.select()}
      onChange={(e) => setText(e.currentTarget.value)}
      onBlur={keep}
      onKeyDown={(e) => {
        e.stopPropagation();
        if (e.key === 'Enter') keep();
        if (e.key === 'Escape') done();
      }}
    />
  );
}
