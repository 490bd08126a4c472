import type { EdgeRef } from '../api/types';
import { featureName, stepOf, useStudy, type SeamLine } from './study';

const SIDES: Record<string, string> = { u0: 'u start', u1: 'u end', v0: 'v start', v1: 'v end' };

/** An edge in words: the face's name and which side it is. */
export function edgeWords(feature: string | { feature: string }, edge: string): string {
  const name = featureName(typeof feature === 'string' ? feature : feature.feature);
  return !edge || edge === 'c0' ? name : `${name}, ${lineWords(edge)}`;
}

/** What a reference means, in words. */
export const refWords = (ref: EdgeRef | { feature: string }): string => edgeWords(ref.feature, 'edge' in ref ? ref.edge : '');

/** A line of an object in words: a side, what cut it there, or its number; "1 of 2" where it comes in several. */
export function lineWords(edge: string): string {
  const [, base, parts] = /^(.*?)((?:\.\d+of\d+)*)$/.exec(edge) ?? [];
  // Behind its name is told that the surface was carried on beyond what was its side.
  const name = (base ?? edge).replace(/~$/, '');
  const by = name.indexOf(':');
  const words = SIDES[name] ?? (by >= 0 ? cutWords(name.slice(0, by), name.slice(by + 1)) : /^c\d+$/.test(name) ? `curve ${Number(name.slice(1)) + 1}` : lineOf(name.replace(/^side(?=\d)/, 'side ')));
  return parts ? `${words} ${parts.slice(1).replaceAll('.', ', ').replaceAll('of', ' of ')}` : words;
}

const known = (id: string): boolean => useStudy.getState().study?.features.some((f) => f.id === stepOf(id)) ?? false;

const lineOf = (name: string): string => (known(name) ? `on ${featureName(name)}` : name);

/** An edge that a step cut: by which object, or the number of the cut. */
function cutWords(step: string, cutter: string): string {
  if (known(cutter)) return `cut by ${featureName(cutter)}`;
  const curve = cutter.slice(0, cutter.lastIndexOf('-'));
  if (known(curve)) return `cut by ${featureName(curve)}`;
  return boundWords(cutter) ?? `cut ${cutter} of ${featureName(step)}`;
}

/** An edge of a face that others bound: along which one of them it lies. */
function boundWords(border: string): string | null {
  for (let i = border.lastIndexOf('_'); i > 0; i = border.lastIndexOf('_', i - 1)) {
    const [object, edge] = [border.slice(0, i), border.slice(i + 1)];
    if (known(object)) return `along ${featureName(object)}${SIDES[edge] ? `, ${SIDES[edge]}` : ''}`;
  }
  return null;
}

/** Names of seams by key: where several would have one name, with the edges that tell them apart. */
export function seamNames(seams: readonly SeamLine[]): ReadonlyMap<string, string> {
  const alike = new Map<string, SeamLine[]>();
  for (const s of seams) alike.set(s.name, [...(alike.get(s.name) ?? []), s]);
  return new Map(seams.map((s) => [s.key, apart(s, alike.get(s.name) ?? [])]));
}

function apart(seam: SeamLine, alike: readonly SeamLine[]): string {
  if (alike.length < 2) return seam.name;
  const told = (side: 'a' | 'b') => new Set(alike.map((s) => s[side].feature + s[side].edge)).size === alike.length;
  const first = told('a');
  const words = (name: string, edge: string, whole: boolean) => (whole ? `${name}, ${lineWords(edge)}` : name);
  const stretch = /#(\d+)$/.exec(seam.key)?.[1];
  return `${words(seam.sides[0], seam.a.edge, first || !told('b'))} · ${words(seam.sides[1], seam.b.edge, !first)}${stretch ? ` ${stretch}` : ''}`;
}
