import { expect, it } from 'vitest';

import { readFrame, slice } from './frame';

it('takes a frame apart into header and floats, whatever the length of the header', () => {
  for (const note of ['', 'x', 'äöü']) {
    const head = new TextEncoder().encode(JSON.stringify({ type: 'combs', combs: [], note }));
    const padded = head.length + ((4 - (head.length % 4)) % 4);
    const data = new Uint8Array(4 + padded + 8).fill(32);
    new DataView(data.buffer).setUint32(0, padded, true);
    data.set(head, 4);
    new Float32Array(data.buffer, 4 + padded).set([1.5, -2]);
    const { header, floats } = readFrame(data.buffer);
    expect(header.type).toBe('combs');
    expect([...slice(floats, [1, 1])]).toEqual([-2]);
  }
});
