import { Modal, TextInput } from '@mantine/core';
import { useEffect, useState } from 'react';

import type { Viewport } from '../scene/viewport';
import { commands, openers } from './commands';
import { DeleteDialog } from './DeleteDialog';
import { ExportDialog } from './ExportDialog';
import { FileImporter } from './FileImporter';

/** Everything by typing its name, and the dialogs that commands open. */
export function Finder({ viewport }: { viewport: Viewport | null }) {
  const [open, setOpen] = useState(false);
  useEffect(() => {
    openers.find = () => setOpen(true);
    return () => void delete openers.find;
  }, []);
  return (
    <>
      <Modal opened={open} onClose={() => setOpen(false)} withCloseButton={false} padding="sm" size={440} yOffset={110} aria-label="Find">
        {open && <Search viewport={viewport} close={() => setOpen(false)} />}
      </Modal>
      <ExportDialog />
      <DeleteDialog />
      <FileImporter />
    </>
  );
}

function Search({ viewport, close }: { viewport: Viewport | null; close(): void }) {
  const [text, setText] = useState('');
  const [at, setAt] = useState(0);
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  const found = commands(viewport).filter((c) => words.every((w) => c.label.toLowerCase().includes(w)));
  const run = (i: number) => {
    const command = found[i];
    if (!command) return;
    close();
    setTimeout(command.run, 0);
  };
  return (
    <>
      <TextInput
        data-autofocus
        aria-label="Find a tool or command"
        placeholder="What do you want to do?"
        value={text}
        onChange={(e) => {
          setText(e.currentTarget.value);
          setAt(0);
        }}
        onKeyDown={(e) => {
          if (e.key === 'ArrowDown') setAt(Math.min(found.length - 1, at + 1));
          if (e.key === 'ArrowUp') setAt(Math.max(0, at - 1));
          if (e.key === 'Enter') run(at);
        }}
      />
      <div role="listbox" aria-label="Found" style={{ marginTop: 8, maxHeight: 360, overflow: 'auto' }}>
        {found.map((c, i) => (
          <button key={c.label} className="finder-item" role="option" aria-selected={i === at} onClick={() => run(i)}>
            <span>{c.label}</span>
            <span className="quiet">{c.keys}</span>
          </button>
        ))}
        {!found.length && <p className="quiet">Nothing of that name.</p>}
      </div>
    </>
  );
}
