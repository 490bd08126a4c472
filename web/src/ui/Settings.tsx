import { Popover, type PopoverProps } from '@mantine/core';
import { useEffect, useState, type ReactElement, type ReactNode } from 'react';

interface Props {
  at: PopoverProps['position'];
  width: number;
  button: (toggle: () => void) => ReactElement;
  children: ReactNode;
}

/** Settings that fold out at a button; Esc folds them in, wherever the keyboard is but in a field. */
export function Settings({ at, width, button, children }: Props) {
  const [opened, setOpened] = useState(false);
  useEffect(() => {
    if (!opened) return;
    const down = (e: KeyboardEvent) => {
      if (e.key !== 'Escape' || (e.target instanceof HTMLElement && e.target.matches('input'))) return;
      e.stopImmediatePropagation();
      setOpened(false);
    };
    window.addEventListener('keydown', down, true);
    return () => window.removeEventListener('keydown', down, true);
  }, [opened]);
  return (
    <Popover position={at} width={width} shadow="md" withArrow opened={opened} onChange={setOpened}>
      <Popover.Target>{button(() => setOpened(!opened))}</Popover.Target>
      <Popover.Dropdown className="settings">{children}</Popover.Dropdown>
    </Popover>
  );
}
