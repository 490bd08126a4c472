import { ActionIcon } from '@mantine/core';
import { IconMinus } from '@tabler/icons-react';

import { useView } from '../state/view';

type Panel = 'build' | 'card' | 'ledger';

const NAMES: Record<Panel, string> = { build: 'Build', card: 'Card', ledger: 'Seams' };

const fold = (panel: Panel, on: boolean) => useView.setState((v) => ({ panels: { ...v.panels, [panel]: on } }));

/** Folds a panel away. */
export function Fold({ panel }: { panel: Panel }) {
  const words = `Fold away: ${NAMES[panel]}`;
  return (
    <ActionIcon className="fold" variant="subtle" color="gray" size="sm" aria-label={words} title={words} onClick={() => fold(panel, false)}>
      <IconMinus size={14} />
    </ActionIcon>
  );
}

/** Stands at the edge for a panel that is folded away, and brings it back. */
export function Unfold({ panel, more = '' }: { panel: Panel; more?: string }) {
  return (
    <button className={`paper unfold ${panel}`} aria-label={`Show: ${NAMES[panel]}`} onClick={() => fold(panel, true)}>
      {NAMES[panel]}
      {more}
    </button>
  );
}
