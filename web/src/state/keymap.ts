import { create } from 'zustand';
import { persist } from 'zustand/middleware';

interface Keymap {
  /** Whether keys that are pressed alone do anything: some who speak or tremble switch them off. */
  single: boolean;
  /** Keys of one's own, by the command's label; an empty one for none. */
  own: Readonly<Record<string, string>>;
}

export const useKeymap = create<Keymap>()(persist((): Keymap => ({ single: true, own: {} }), { name: 'pamble.keys' }));

/** The key of a command as it counts now. */
export function keyOf(command: { label: string; keys?: string }, { single, own }: Keymap = useKeymap.getState()): string | undefined {
  const key = own[command.label] ?? command.keys;
  return !key || (!single && key.length === 1) ? undefined : key;
}

/** Give a command another key; whoever had it has none. */
export function setKey(label: string, key: string, commands: readonly { label: string; keys?: string }[]): void {
  useKeymap.setState((map) => {
    const own = { ...map.own, [label]: key };
    for (const c of commands) if (key && c.label !== label && (own[c.label] ?? c.keys) === key) own[c.label] = '';
    return { own };
  });
}

export const resetKeys = (): void => void useKeymap.setState({ single: true, own: {} });

/** A key press in words, as commands write it. */
export function spelled(e: Pick<KeyboardEvent, 'key' | 'ctrlKey' | 'metaKey' | 'shiftKey'>): string {
  const key = e.key.length === 1 ? e.key.toUpperCase() : e.key === 'Backspace' ? 'Delete' : e.key;
  // A sign that is written with Shift is that sign, whatever the keyboard.
  const shift = e.shiftKey && (e.key.length > 1 || /[a-z]/i.test(e.key));
  return [e.ctrlKey || e.metaKey ? 'Ctrl' : '', shift ? 'Shift' : '', key].filter(Boolean).join('+');
}
