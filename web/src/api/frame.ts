import type { CombsHeader, FrameHeader, LightsHeader } from './types';

export interface Frame<Header> {
  header: Header;
  floats: Float32Array;
}

/** Splits a binary frame into its header and its float block; the layout is described in the build's frame module. */
export function readFrame(data: ArrayBuffer): Frame<FrameHeader | CombsHeader | LightsHeader> {
  const size = new DataView(data).getUint32(0, true);
  const header = JSON.parse(new TextDecoder().decode(new Uint8Array(data, 4, size))) as FrameHeader | CombsHeader | LightsHeader;
  return { header, floats: new Float32Array(data, 4 + size) };
}

/** The part of a frame's float block that a place in the header names. */
export function slice(floats: Float32Array, place: readonly number[]): Float32Array {
  const [offset = 0, count = 0] = place;
  return floats.subarray(offset, offset + count);
}
