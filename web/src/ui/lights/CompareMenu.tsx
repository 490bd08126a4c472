import { ActionIcon, Menu, SegmentedControl, Tooltip } from '@mantine/core';
import { IconColumns2 } from '@tabler/icons-react';

import { compareWith, endCompare, keepMoment, momentAfter, useCompare, type Moment } from '../../state/compare';
import { tell } from '../../state/session';
import { useStudy } from '../../state/study';

/** Before and after under the same light: what the part is seen beside, and how. */
export function CompareMenu() {
  const { mode, other, moments } = useCompare();
  const features = useStudy((s) => s.study?.features) ?? [];
  const before = useStudy((s) => s.before !== null);
  const how = mode === 'off' ? 'wipe' : mode;
  const show = (moment: Moment | null) => void compareWith(moment, how);
  const after = (id: string, name: string) => momentAfter(id, name).then(show, (error: Error) => tell(error.message));
  return (
    <Menu position="top" width={240} closeOnItemClick={false}>
      <Tooltip label="Compare with another state">
        <Menu.Target>
          <ActionIcon variant={mode === 'off' ? 'subtle' : 'filled'} radius="xl" aria-label="Compare with another state">
            <IconColumns2 size={17} />
          </ActionIcon>
        </Menu.Target>
      </Tooltip>
      <Menu.Dropdown>
        <div className="row" style={{ padding: '4px 8px' }}>
          <SegmentedControl
            size="xs"
            fullWidth
            aria-label="How states are compared"
            data={[
              { value: 'off', label: 'off' },
              { value: 'wipe', label: 'wiped' },
              { value: 'side', label: 'side by side' },
            ]}
            value={mode}
            onChange={(m) => (m === 'off' ? endCompare() : compareWith(other, m as 'wipe' | 'side') || tell('There is no earlier state yet: change something, or pick a step.'))}
          />
        </div>
        <Menu.Label>Compare with the part</Menu.Label>
        <Menu.Item disabled={!before} onClick={() => show(null)}>
          before the last change
        </Menu.Item>
        {moments.map((m) => (
          <Menu.Item key={m.name} onClick={() => show(m)}>
            as kept at {m.name}
          </Menu.Item>
        ))}
        <div className="menu-steps">
          {features.map((f) => (
            <Menu.Item key={f.id} onClick={() => void after(f.id, f.name)}>
              after {f.name}
            </Menu.Item>
          ))}
        </div>
        <Menu.Divider />
        <Menu.Item onClick={() => tell(`The part as it is now is kept as ${keepMoment().name}.`, true)}>Keep this state to compare with</Menu.Item>
      </Menu.Dropdown>
    </Menu>
  );
}
