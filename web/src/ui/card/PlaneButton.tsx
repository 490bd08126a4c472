import { ActionIcon, SegmentedControl, Select, Switch, Tooltip } from '@mantine/core';
import { IconGridDots } from '@tabler/icons-react';

import { planeOfStep, workingPlane } from '../../scene/plane';
import type { Viewport } from '../../scene/viewport';
import { featureName, planeSteps, useStudy } from '../../state/study';
import { useView, type Catching, type WorkingPlane } from '../../state/view';
import { Settings } from '../Settings';
import { NumberField } from './NumberField';

const WORDS: Record<WorkingPlane['axis'], string> = {
  auto: 'the principal plane that faces you most',
  x: 'the plane square to x',
  y: 'the plane square to y',
  z: 'the plane square to z',
};

const CATCHES: [keyof Catching, string][] = [
  ['on', 'Catch what is near (N)'],
  ['points', 'Ends and CVs'],
  ['lines', 'Curves and edges'],
  ['faces', 'Surfaces'],
  ['meshes', 'Reference meshes'],
  ['planes', 'Planes'],
  ['dropped', 'Drop what is caught onto the plane'],
];

/** The working plane, where points that are placed lie, and what they may catch. */
export function PlaneButton({ viewport }: { viewport: Viewport }) {
  const plane = useView((s) => s.plane);
  const catching = useView((s) => s.catching);
  const features = useStudy((s) => s.study?.features);
  const steps = planeSteps(features);
  const change = (changes: Partial<WorkingPlane>) => {
    const next = { ...plane, ...changes };
    // In a plane of one's own what is drawn is meant to lie in it.
    useView.setState({ plane: next, catching: { ...catching, dropped: next.axis !== 'auto' || next.step !== null } });
  };
  const step = plane.step && planeOfStep(plane.step) ? plane.step : null;
  const plain = plane.axis === 'auto' && plane.offset === 0 && !step;
  return (
    <Settings
      at="top-end"
      width={270}
      button={(toggle) => (
        <Tooltip label="Working plane and catching">
          <ActionIcon variant={plain ? 'subtle' : 'light'} aria-label="Working plane" onClick={toggle}>
            <IconGridDots size={17} />
          </ActionIcon>
        </Tooltip>
      )}
    >
      <SegmentedControl
        fullWidth
        size="xs"
        aria-label="Working plane is square to"
        data={['auto', 'x', 'y', 'z']}
        value={step ? '' : plane.axis}
        onChange={(axis) => change({ axis: axis as WorkingPlane['axis'], step: null })}
      />
      {steps.length > 0 && (
        <Select
          size="xs"
          mt={6}
          aria-label="Plane of a step"
          placeholder="or a plane of the study"
          clearable
          comboboxProps={{ withinPortal: false }}
          data={steps.map((f) => ({ value: f.id, label: f.name }))}
          value={step}
          onChange={(id) => change({ step: id })}
        />
      )}
      <p className="quiet" style={{ margin: '6px 0' }}>
        Points lie in {step ? featureName(step) : WORDS[plane.axis]}.
      </p>
      {!step && (
        <div className="row">
          <span className="quiet">Offset from the origin</span>
          <NumberField label="Offset of the working plane" unit="mm" width={100} value={plane.offset} onChange={(offset) => change({ offset })} />
        </div>
      )}
      <div className="chips">
        <button className="chip" onClick={() => viewport.lookAgainst(workingPlane(viewport).normal)}>
          Look at it squarely
        </button>
      </div>
      <p className="quiet" style={{ margin: '10px 0 2px' }}>
        Points that are placed or moved; Alt turns catching round:
      </p>
      {CATCHES.map(([name, label]) => (
        <Switch key={name} size="xs" mt={4} label={label} disabled={name !== 'on' && !catching.on} checked={catching[name]} onChange={(e) => useView.setState({ catching: { ...catching, [name]: e.currentTarget.checked } })} />
      ))}
    </Settings>
  );
}
