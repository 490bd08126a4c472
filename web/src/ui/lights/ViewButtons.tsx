import { ActionIcon, Menu, Tooltip } from '@mantine/core';
import { IconArrowsMaximize, IconView360Number } from '@tabler/icons-react';

import type { Viewport } from '../../scene/viewport';
import { VIEWS } from '../bar/commands';
import { PlaneButton } from '../card/PlaneButton';

export function ViewButtons({ viewport }: { viewport: Viewport }) {
  return (
    <div className="views" role="toolbar" aria-label="Views">
      <Tooltip label="Fit to window (F)">
        <ActionIcon variant="subtle" aria-label="Fit to window" onClick={() => viewport.fit()}>
          <IconArrowsMaximize size={17} />
        </ActionIcon>
      </Tooltip>
      <PlaneButton viewport={viewport} />
      <Menu position="top-end" width={170}>
        <Menu.Target>
          <Tooltip label="True views">
            <ActionIcon variant="subtle" aria-label="True views">
              <IconView360Number size={18} />
            </ActionIcon>
          </Tooltip>
        </Menu.Target>
        <Menu.Dropdown>
          {VIEWS.map(([name, label, keys]) => (
            <Menu.Item key={name} rightSection={<span className="quiet">{keys}</span>} onClick={() => viewport.look(name)}>
              {label}
            </Menu.Item>
          ))}
        </Menu.Dropdown>
      </Menu>
    </div>
  );
}
