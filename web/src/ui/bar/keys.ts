import { useEffect } from 'react';

import type { Viewport } from '../../scene/viewport';
import { letGo, showBefore } from '../../state/actions';
import { digit } from '../../state/digits';
import { keepDraft } from '../../state/drafts';
import { keyOf, spelled, useKeymap } from '../../state/keymap';
import { draftNow } from '../../state/tools';
import { commands, openers } from './commands';

/** Whether the keyboard belongs to what has the focus: a text field or a dialog; a switch or choice leaves keys alone. */
const inField = (target: EventTarget | null): boolean =>
  target instanceof HTMLElement &&
  (target.matches('input:not([type=radio], [type=checkbox]), textarea, select') || target.closest('[aria-modal="true"], [role="menu"]') !== null);

/** Whether a key with Ctrl was pressed in a list of choices, where nothing is typed that it could mean. */
const pastList = (e: KeyboardEvent): boolean => e.ctrlKey && e.target instanceof HTMLElement && e.target.matches('input[readonly]');

/** What has a use of its own for Enter when it was reached by the keyboard. */
const TAKES_ENTER = 'button, [role="slider"], [role="tab"], [role="option"], tr, a, summary, [role="button"]';

/** Time in ms within which a second Esc counts with the first. */
const TWICE = 400;

/** One key for every command, outside of fields and dialogs. */
export function useKeys(viewport: Viewport | null): void {
  useEffect(() => {
    // Whether what has the focus got it by a click. The browser calls it reached by keyboard at the first key.
    let clicked = false;
    let escaped = -Infinity;
    const pointer = () => (clicked = true);
    const down = (e: KeyboardEvent) => {
      if (e.key === 'Tab') clicked = false;
      // A dialog that has just opened may not have the focus yet: what is typed is meant for it.
      if (e.defaultPrevented || (inField(e.target) && !pastList(e)) || e.altKey || document.querySelector('[aria-modal="true"]')) return;
      if (e.key === 'Enter') {
        const takes = e.target instanceof HTMLElement && e.target.matches(TAKES_ENTER) && !clicked;
        if (!draftNow() || takes) return;
        e.preventDefault();
        void keepDraft();
        return;
      }
      if (e.key === '/') {
        e.preventDefault();
        openers.find?.();
        return;
      }
      if (e.key === '?') {
        openers.keys?.();
        return;
      }
      if (e.key === 'Escape') {
        letGo(e.repeat || e.timeStamp - escaped < TWICE);
        escaped = e.timeStamp;
        return;
      }
      if (!e.ctrlKey && useKeymap.getState().single && digit(e.key)) {
        e.preventDefault();
        return;
      }
      if (e.key.toLowerCase() === 'x' && !e.ctrlKey && useKeymap.getState().single) {
        if (!e.repeat) showBefore(true);
        return;
      }
      const wanted = spelled(e);
      const run = commands(viewport).find((c) => keyOf(c) === wanted)?.run;
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
