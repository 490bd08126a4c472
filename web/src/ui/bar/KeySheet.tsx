import { Button, Kbd, Modal, Switch } from '@mantine/core';
import { useEffect, useState } from 'react';

import type { Viewport } from '../../scene/viewport';
import { keyOf, resetKeys, setKey, spelled, useKeymap } from '../../state/keymap';
import { commands, openers } from './commands';

const FIXED: [string, string][] = [
  ['Enter', 'Keep the step in work'],
  ['Esc', 'Let go of what was last taken; stop long work'],
  ['/', 'Find anything by typing'],
  ['?', 'This sheet'],
  ['X held', 'The part before the last change'],
  ['Arrows on the part', 'Turn the view; with Shift move it'],
  ['+ and − on the part', 'Nearer and farther'],
  ['Arrows on a CV', 'Go to the next one; with Ctrl move it, with Ctrl and Shift finely'],
  ['Alt and arrows on a step', 'Earlier or later in the build'],
];

const ALONE = ['Shift', 'Control', 'Alt', 'Meta'];

/** All keys, each of which can be changed; those that are pressed alone can be switched off. */
export function KeySheet({ viewport }: { viewport: Viewport | null }) {
  const [open, setOpen] = useState(false);
  const [asked, setAsked] = useState<string | null>(null);
  const map = useKeymap();
  useEffect(() => {
    openers.keys = () => setOpen(true);
    return () => void delete openers.keys;
  }, []);
  const all = open ? commands(viewport).filter((c) => c.keys ?? c.settable) : [];
  const take = (e: React.KeyboardEvent, label: string) => {
    if (ALONE.includes(e.key) || e.key === 'Tab') return;
    e.preventDefault();
    e.stopPropagation();
    setAsked(null);
    if (e.key !== 'Escape') setKey(label, e.key === 'Backspace' ? '' : spelled(e.nativeEvent), all);
  };
  return (
    <Modal opened={open} onClose={() => setOpen(false)} title="Keys" size={720}>
      <div className="row">
        <Switch size="xs" label="Keys that are pressed alone" checked={map.single} onChange={(e) => useKeymap.setState({ single: e.currentTarget.checked })} />
        <Button size="compact-xs" variant="default" onClick={resetKeys}>
          All as they came
        </Button>
      </div>
      <p className="quiet">Click a key, then press another one for it. Backspace takes it away.</p>
      <div className="key-sheet">
        {FIXED.map(([key, what]) => (
          <div className="row" key={what}>
            <span>{what}</span>
            <Kbd size="xs">{key}</Kbd>
          </div>
        ))}
        {all.map((c) => (
          <div className="row" key={c.label}>
            <span>{c.label}</span>
            <button className="target" aria-label={`Key of ${c.label}: ${asked === c.label ? 'press a key' : (keyOf(c, map) ?? '–')}`} onClick={() => setAsked(c.label)} onKeyDown={(e) => asked === c.label && take(e, c.label)} onBlur={() => setAsked(null)}>
              {asked === c.label ? 'press a key' : <Kbd size="xs">{keyOf(c, map) ?? '–'}</Kbd>}
            </button>
          </div>
        ))}
      </div>
    </Modal>
  );
}
