import { describe, expect, it } from 'vitest';

import { begun, changed, IDLE, stepped, type Hand } from './hand';

const start = begun({ id: 'a', kind: 'line', name: 'Line', role: 'construction', params: {} });
const params = (hand: Hand | null) => (hand?.at === 'step' ? hand.draft.params : null);

describe('a step in work', () => {
  it('is undone change by change; a drag is one change', () => {
    let hand = changed(start, { start: [0, 0, 0] }, true);
    for (const x of [1, 2, 3]) hand = changed(hand, { start: [x, 0, 0] }, false);
    hand = changed(hand, { start: [3, 0, 0] }, true);
    const back = stepped(hand, 'undo');
    expect(params(back)).toEqual({ start: [0, 0, 0] });
    const first = back && stepped(back, 'undo');
    expect(params(first)).toEqual({});
    expect(first && stepped(first, 'undo')).toBeNull();
    const again = back && stepped(back, 'redo');
    expect(params(again)).toEqual({ start: [3, 0, 0] });
    expect(again && stepped(again, 'redo')).toBeNull();
  });

  it('forgets what was undone once it changes otherwise, and counts no change that changes nothing', () => {
    const one = changed(changed(start, { end: 1 }, true), { end: 1 }, true);
    const back = stepped(one, 'undo');
    expect(params(back)).toEqual({});
    const other = back && changed(back, { end: 2 }, true);
    expect(other && stepped(other, 'redo')).toBeNull();
  });

  it('is the only thing in hand that changes', () => {
    expect(changed(IDLE, { end: 1 }, true)).toBe(IDLE);
    expect(stepped(IDLE, 'undo')).toBeNull();
  });
});
