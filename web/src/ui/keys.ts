import { useEffect } from 'react';

import type { Viewport } from '../scene/viewport';
import { letGo, showBefore } from '../state/actions';
import { keepDraft } from '../state/drafts';
import { useTools } from '../state/tools';
import { commands, openers } from './commands';

function spelled(e: KeyboardEvent): string {
  const key = e.key.length === 1 ? e.key.toUpperCase() : e.key;
  const held = [e.ctrlKey || e.metaKey ? 'Ctrl' : '', e.shiftKey ? 'Shift' : ''].filter(Boolean);
  return [...held, key].join('+');
}

/** Whether the keyboard belongs to what has the focus: a text field or a dialog; a switch or choice leaves keys alone. */
const inField = (target: EventTarget | null): boolean =>
  target instanceof HTMLElement &&
  (target.matches('input:not([type=radio], [type=checkbox]), textarea, select') || target.closest('[role="dialog"]') !== null);

/** One key for every command, outside of fields and dialogs. */
export function useKeys(viewport: Viewport | null): void {
  useEffect(() => {
    // Whether the control that has the focus got it by a click. The browser calls it reached by keyboard at the first key.
    let clicked = false;
    const pointer = () => (clicked = true);
    const down = (e: KeyboardEvent) => {
      if (e.key === 'Tab') clicked = false;
      if (inField(e.target) || e.altKey) return;
      const onControl = e.target instanceof HTMLElement && e.target.matches('button, input, [role="slider"], [role="tab"]');
      if (e.key === 'Enter') {
        // A button that was reached by the keyboard takes Enter itself; one that was clicked last, a choice or a switch
        // has no use for it.
        const takes = onControl && !clicked && !(e.target as HTMLElement).matches('input');
        if (!useTools.getState().draft || takes) return;
        e.preventDefault();
        void keepDraft();
        return;
      }
      if (e.key === '/') {
        e.preventDefault();
        openers.find?.();
        return;
      }
      if (e.key === 'Escape') {
        letGo();
        return;
      }
      if (e.key === 'Tab' && onControl) return;
      if (e.key.toLowerCase() === 'x' && !e.ctrlKey) {
        if (!e.repeat) showBefore(true);
        return;
      }
      const wanted = e.key === 'Backspace' ? 'Delete' : spelled(e);
      const run = commands(viewport).find((c) => c.keys === wanted)?.run;
      if (!run) return;
      e.preventDefault();
      run();
    };
    const up = (e: KeyboardEvent) => {
      if (e.key.toLowerCase() === 'x') showBefore(false);
    };
    window.addEventListener('pointerdown', pointer, true);
    window.addEventListener('keydown', down);
    window.addEventListener('keyup', up);
    return () => {
      window.removeEventListener('pointerdown', pointer, true);
      window.removeEventListener('keydown', down);
      window.removeEventListener('keyup', up);
    };
  }, [viewport]);
}
