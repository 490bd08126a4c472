import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';

import { Link, type LinkEvents } from './link';
import type { Op } from './types';

class Wire {
  static all: Wire[] = [];
  static readonly OPEN = 1;
  readyState = 1;
  binaryType = '';
  sent: { type: string; seq: number; base?: number; op?: unknown; rest?: boolean }[] = [];
  onmessage: ((e: { data: unknown }) => void) | null = null;
  onclose: (() => void) | null = null;
  constructor() {
    Wire.all.push(this);
  }
  send(text: string) {
    this.sent.push(JSON.parse(text) as Wire['sent'][number]);
  }
  close() {}
  tell(message: Record<string, unknown>) {
    this.onmessage?.({ data: JSON.stringify(message) });
  }
  frame(header: Record<string, unknown>) {
    const text = new TextEncoder().encode(JSON.stringify(header));
    const padded = Math.ceil(text.length / 4) * 4;
    const bytes = new Uint8Array(4 + padded).fill(32);
    new DataView(bytes.buffer).setUint32(0, padded, true);
    bytes.set(text, 4);
    this.onmessage?.({ data: bytes.buffer });
  }
}

const wire = (): Wire => {
  const last = Wire.all.at(-1);
  if (!last) throw new Error('nothing was connected');
  return last;
};
const op = (value: number): Op => ({ op: 'set_params', id: 'a', changes: { value } }) as unknown as Op;
const stored = (seq: number | null, version: number, reason = 'commit') => {
  wire().tell({ type: 'state', reason, version, seq, by: 'me', window: 'me' });
  wire().frame({ type: 'frame', preview: false });
};

let events: { [K in keyof LinkEvents]: ReturnType<typeof vi.fn> };
let link: Link;

beforeEach(() => {
  vi.useFakeTimers();
  Wire.all = [];
  vi.stubGlobal('WebSocket', Wire);
  vi.stubGlobal('location', { protocol: 'http:', host: 'here' });
  events = {
    combsWanted: vi.fn(() => []),
    lightsWanted: vi.fn(() => null), watched: vi.fn(() => []), state: vi.fn(), preview: vi.fn(), combs: vi.fn(), lights: vi.fn(),
    ways: vi.fn(), progress: vi.fn(), failed: vi.fn(), connected: vi.fn(), gone: vi.fn(),
  };
  link = new Link('s', events as unknown as LinkEvents);
  stored(null, 7, 'opened');
});

afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

describe('previews', () => {
  it('keeps one on its way and sends the latest intent when it is answered, passed over or overdue', () => {
    [1, 2, 3].forEach((v) => link.preview(op(v)));
    expect(wire().sent).toHaveLength(1);
    wire().tell({ type: 'passed', seq: wire().sent[0]?.seq });
    expect(wire().sent.map((m) => m.op)).toEqual([op(1), op(3)]);
    link.preview(op(4));
    vi.advanceTimersByTime(15001);
    expect(wire().sent.at(-1)?.op).toEqual(op(4));
    wire().frame({ type: 'frame', preview: true, seq: 99 });
    link.preview(op(5));
    expect(wire().sent).toHaveLength(3);
    wire().frame({ type: 'frame', preview: true, seq: wire().sent.at(-1)?.seq });
    expect(wire().sent.at(-1)?.op).toEqual(op(5));
  });

  it('asks again at rest for what was left out, and not once something else is wanted', () => {
    const answer = (late: boolean) => wire().frame({ type: 'frame', preview: true, late, seq: wire().sent.at(-1)?.seq });
    link.preview(op(1));
    answer(true);
    vi.advanceTimersByTime(100);
    link.preview(op(2));
    answer(true);
    vi.advanceTimersByTime(130);
    expect(wire().sent.map((m) => [m.op, m.rest])).toEqual([[op(1), false], [op(2), false], [op(2), true]]);
    answer(false);
    expect(events.preview).toHaveBeenCalledTimes(3);
    link.preview(op(3));
    answer(true);
    link.dropPreviews();
    vi.advanceTimersByTime(1000);
    expect(wire().sent).toHaveLength(4);
  });

  it('tells how far one is that takes long, at rest too, until it is answered or no longer wanted', () => {
    const told = () => wire().tell({ type: 'progress', share: 0.4 });
    const answer = (late: boolean) => wire().frame({ type: 'frame', preview: true, late, seq: wire().sent.at(-1)?.seq });
    link.preview(op(1));
    told();
    expect(events.progress).not.toHaveBeenCalledWith(0.4);
    vi.advanceTimersByTime(600);
    told();
    expect(events.progress).toHaveBeenLastCalledWith(0.4);
    answer(true);
    expect(events.progress).toHaveBeenLastCalledWith(null);
    vi.advanceTimersByTime(130);
    told();
    expect(events.progress).toHaveBeenLastCalledWith(null);
    vi.advanceTimersByTime(600);
    told();
    expect(events.progress).toHaveBeenLastCalledWith(0.4);
    link.dropPreviews();
    told();
    expect(events.progress).toHaveBeenLastCalledWith(null);
  });

  it('shows none that comes after a change', async () => {
    link.preview(op(1));
    void link.commit(op(2));
    await vi.advanceTimersByTimeAsync(0);
    wire().frame({ type: 'frame', preview: true, seq: 1 });
    expect(events.preview).not.toHaveBeenCalled();
  });
});

describe('changes', () => {
  it('go one by one, each on the version that the last one made; a refused one holds up nothing', async () => {
    const first = link.commit(op(1));
    const second = link.commit(op(2));
    const third = link.step('undo');
    const refused = expect(second).rejects.toThrow('no');
    await vi.advanceTimersByTimeAsync(0);
    expect(wire().sent.map((m) => m.base)).toEqual([7]);
    stored(wire().sent[0]?.seq ?? 0, 8);
    await first;
    await vi.advanceTimersByTimeAsync(0);
    wire().tell({ type: 'error', code: 'message', message: 'no', seq: wire().sent[1]?.seq });
    await refused;
    await vi.advanceTimersByTimeAsync(0);
    expect(wire().sent.map((m) => [m.type, m.base])).toEqual([['commit', 7], ['commit', 8], ['undo', 8]]);
    stored(wire().sent[2]?.seq ?? 0, 9);
    await third;
  });

  it('are told lost when the connection goes, and not sent while there is none', async () => {
    const lost = expect(link.commit(op(1))).rejects.toThrow('look whether this step is there');
    await vi.advanceTimersByTimeAsync(0);
    const old = wire();
    old.readyState = 3;
    old.onclose?.();
    await lost;
    await expect(link.commit(op(2))).rejects.toThrow('nothing was changed');
    expect(events.failed).toHaveBeenLastCalledWith(expect.stringContaining('no connection'), 'offline', false);
    vi.advanceTimersByTime(300);
    expect(Wire.all).toHaveLength(2);
    expect(wire().sent).toEqual([]);
  });
});

it('a study that cannot be opened is said once, and not tried again', () => {
  wire().tell({ type: 'error', code: 'study', message: 'It is gone.', seq: null });
  wire().onclose?.();
  vi.advanceTimersByTime(60000);
  expect(events.gone).toHaveBeenCalledExactlyOnceWith('It is gone.');
  expect(Wire.all).toHaveLength(1);
});

/** A source of chance that gives the same row again (mulberry32). */
function chance(seed: number): () => number {
  let a = seed;
  return () => {
    a = (a + 0x6d2b79f5) | 0;
    let t = Math.imul(a ^ (a >>> 15), 1 | a);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
}

describe('any stream of previews and changes, with answers late, doubled, refused or lost', () => {
  it.each(Array.from({ length: 40 }, (_, i) => i + 1))('never wedges the link, run %i', async (seed) => {
    const random = chance(seed);
    const pick = <T,>(from: readonly T[]): T => from[Math.floor(random() * from.length)] as T;
    let version = 7;
    let open = 0;
    const promised = (work: Promise<unknown>) => {
      open++;
      const done = () => void open--;
      work.then(done, done);
    };
    let waiting: { wire: Wire; type: string; seq: number }[] = [];
    const heard = new WeakMap<Wire, number>();
    const hear = () => {
      const w = wire();
      for (const m of w.sent.slice(heard.get(w) ?? 0)) if (m.type !== 'cancel') waiting.push({ wire: w, type: m.type, seq: m.seq });
      heard.set(w, w.sent.length);
    };
    const answer = (m: (typeof waiting)[number]) => {
      if (m.wire !== wire() || m.wire.readyState !== 1) return;
      const how = random();
      if (how < 0.15) m.wire.tell({ type: 'error', code: 'x', message: 'no', seq: m.seq });
      else if (m.type === 'preview') {
        if (how < 0.3) m.wire.tell({ type: 'passed', seq: m.seq });
        else m.wire.frame({ type: 'frame', preview: true, seq: m.seq });
      } else stored(m.seq, ++version);
      if (random() < 0.1) m.wire.tell({ type: 'passed', seq: m.seq });
    };
    for (let i = 0; i < 60; i++) {
      pick([
        () => link.preview(op(i)),
        () => link.preview(op(i)),
        () => promised(link.commit(op(i))),
        () => promised(link.step(pick(['undo', 'redo'] as const))),
        () => promised(link.peek(op(i))),
        () => link.dropPreviews(),
        () => {
          const old = wire();
          if (random() > 0.2 || old.readyState !== 1) return;
          old.readyState = 3;
          old.onclose?.();
        },
      ])();
      await vi.advanceTimersByTimeAsync(pick([0, 5, 400]));
      if (wire().readyState === 1 && !heard.has(wire())) {
        heard.set(wire(), 0);
        if (Wire.all.length > 1) stored(null, version, 'opened');
      }
      hear();
      const told = waiting.filter(() => random() < 0.7);
      waiting = waiting.filter((m) => !told.includes(m) && random() > 0.05 * Number(m.type === 'preview'));
      told.sort(() => random() - 0.5).forEach(answer);
    }
    // Then the line is good again, and everything that was asked is answered.
    await vi.advanceTimersByTimeAsync(20_000);
    if (Wire.all.length > 1 && !heard.has(wire())) stored(null, version, 'opened');
    hear();
    for (let round = 0; round < 100 && (open || waiting.length); round++) {
      for (const m of waiting.splice(0)) {
        if (m.type === 'preview') m.wire.frame({ type: 'frame', preview: true, seq: m.seq });
        else if (m.wire === wire()) stored(m.seq, ++version);
      }
      await vi.advanceTimersByTimeAsync(16_000);
      hear();
    }
    expect(open).toBe(0);
    link.preview(op(1000));
    expect(wire().sent.at(-1)?.op).toEqual(op(1000));
    wire().frame({ type: 'frame', preview: true, seq: wire().sent.at(-1)?.seq });
    const last = link.commit(op(1001));
    await vi.advanceTimersByTimeAsync(0);
    stored(wire().sent.at(-1)?.seq ?? 0, ++version);
    await expect(last).resolves.toBeTruthy();
    expect(events.progress).toHaveBeenLastCalledWith(null);
  });
});
