import { ActionIcon, Popover, SegmentedControl, Tooltip } from '@mantine/core';
import { IconGridDots } from '@tabler/icons-react';

import { useView, type WorkingPlane } from '../state/view';
import { NumberField } from './NumberField';

const WORDS: Record<WorkingPlane['axis'], string> = {
  auto: 'the principal plane that faces you most',
  x: 'square to x',
  y: 'square to y',
  z: 'square to z',
};

/** The working plane: where points that are placed lie. */
export function PlaneButton() {
  const plane = useView((s) => s.plane);
  const change = (changes: Partial<WorkingPlane>) => useView.setState({ plane: { ...plane, ...changes } });
  return (
    <Popover position="top-end" width={250} shadow="md" withArrow>
      <Popover.Target>
        <Tooltip label="Working plane">
          <ActionIcon variant={plane.axis === 'auto' && plane.offset === 0 ? 'subtle' : 'light'} aria-label="Working plane">
            <IconGridDots size={17} />
          </ActionIcon>
        </Tooltip>
      </Popover.Target>
      <Popover.Dropdown className="settings">
        <SegmentedControl
          fullWidth
          size="xs"
          aria-label="Working plane is square to"
          data={['auto', 'x', 'y', 'z']}
          value={plane.axis}
          onChange={(axis) => change({ axis: axis as WorkingPlane['axis'] })}
        />
        <p className="quiet" style={{ margin: '6px 0' }}>
          Points lie in {WORDS[plane.axis]}.
        </p>
        <div className="row">
          <span className="quiet">Offset from the origin</span>
          <NumberField label="Offset of the working plane" unit="mm" width={100} value={plane.offset} onChange={(offset) => change({ offset })} />
        </div>
      </Popover.Dropdown>
    </Popover>
  );
}
