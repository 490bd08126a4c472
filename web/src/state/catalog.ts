import { create } from 'zustand';

import { listTools } from '../api/rest';
import type { EdgeRef, ToolInfo } from '../api/types';

/** What a field of a tool takes, read from the tool's schema. */
export type FieldKind = 'line' | 'lines' | 'face' | 'faces' | 'plane' | 'planes' | 'regions' | 'point' | 'place' | 'points' | 'numbers' | 'number' | 'continuity' | 'choice' | 'switch' | 'other';

export interface Field {
  name: string;
  kind: FieldKind;
  title: string;
  unit: string;
  /** Whether it may be left to Pamble. */
  optional: boolean;
  required: boolean;
  whole: boolean;
  choices: string[];
  /** Numbers that come with a file and are not for people to change. */
  unseen: boolean;
  /** Whether it is a direction, which may be taken from the view. */
  direction: boolean;
  /** Fewest entries of a list. */
  least: number;
  /** Largest value of a continuity. */
  most: number;
  /** Whether a list takes one pick, and more only when asked to: the next ones go elsewhere. */
  once: boolean;
  /** Fields with the same word here: one of them is filled. */
  oneOf: string | null;
  /** Whether a list of numbers may grow. */
  open: boolean;
  /** Words of other choices for which the field counts. */
  when: Readonly<Record<string, readonly string[]>> | null;
  fallback: unknown;
}

interface Schema {
  $ref?: string;
  type?: string;
  title?: string;
  unit?: string;
  continuity?: boolean;
  unseen?: boolean;
  direction?: boolean;
  once?: boolean;
  one_of?: string;
  when?: Record<string, string[]>;
  enum?: string[];
  anyOf?: Schema[];
  items?: Schema;
  prefixItems?: Schema[];
  properties?: Record<string, Schema>;
  required?: string[];
  default?: unknown;
  minItems?: number;
  maximum?: number;
}

interface Catalog {
  tools: ReadonlyMap<string, ToolInfo>;
  fields: ReadonlyMap<string, readonly Field[]>;
}

export const useCatalog = create<Catalog>(() => ({ tools: new Map(), fields: new Map() }));

export async function loadCatalog(): Promise<void> {
  if (useCatalog.getState().tools.size) return;
  const tools = await listTools();
  useCatalog.setState({
    tools: new Map(tools.map((t) => [t.kind, t])),
    fields: new Map(tools.map((t) => [t.kind, readFields(t.params as Schema)])),
  });
}

function kindOf(schema: Schema): FieldKind {
  const ref = schema.$ref ?? schema.items?.$ref;
  if (ref?.endsWith('/RegionPick')) return 'regions';
  if (ref?.endsWith('EdgeRef')) return schema.items ? 'lines' : 'line';
  if (ref?.endsWith('FaceRef')) return schema.items ? 'faces' : 'face';
  if (ref?.endsWith('/PlaneRef')) return schema.items ? 'planes' : 'plane';
  if (schema.continuity) return 'continuity';
  if (schema.enum) return 'choice';
  if (schema.type === 'boolean') return 'switch';
  if (schema.type === 'number' || schema.type === 'integer') return 'number';
  if (schema.type !== 'array') return 'other';
  if (schema.prefixItems) return schema.prefixItems.length === 3 ? 'point' : 'numbers';
  return schema.items?.prefixItems ? 'points' : schema.items?.type === 'number' ? 'numbers' : 'other';
}

/** Numbers of the fit stand last: they are rarely touched. */
const LAST = ['degree', 'tolerance', 'spans'];

/** Fields of a tool in the order of its schema. */
export function readFields(schema: Schema): Field[] {
  const fields = inOrder(schema);
  return [...fields.filter((f) => !LAST.includes(f.name)), ...fields.filter((f) => LAST.includes(f.name))];
}

function inOrder(schema: Schema): Field[] {
  return Object.entries(schema.properties ?? {}).map(([name, own]) => {
    const real = own.anyOf?.find((s) => s.type !== 'null') ?? own;
    const merged = { ...real, ...(own.continuity ? { continuity: true } : {}) };
    const hangs = own.anyOf?.some((s) => s.$ref?.endsWith('/OnLine')) ?? false;
    return {
      name,
      kind: hangs ? 'place' : kindOf(merged),
      title: own.title ?? name,
      unit: own.unit ?? '',
      optional: own.anyOf?.some((s) => s.type === 'null') ?? false,
      required: schema.required?.includes(name) ?? false,
      whole: real.type === 'integer',
      choices: real.enum ?? [],
      unseen: own.unseen ?? false,
      direction: own.direction ?? false,
      least: real.minItems ?? 0,
      most: real.maximum ?? 3,
      once: own.once ?? false,
      oneOf: own.one_of ?? null,
      open: real.type === 'array' && !real.prefixItems,
      when: own.when ?? null,
      fallback: own.default ?? null,
    };
  });
}

/** Fields that take several picks. */
export const LISTS: readonly FieldKind[] = ['lines', 'faces', 'planes', 'points'];

/** Whether a field counts with the choices that are made. */
export function counts(field: Field, fields: readonly Field[], params: Record<string, unknown>): boolean {
  return Object.entries(field.when ?? {}).every(([name, words]) => {
    const chosen = params[name] ?? fields.find((f) => f.name === name)?.fallback;
    return words.includes(String(chosen));
  });
}

const filled = (value: unknown): boolean => (Array.isArray(value) ? value.length > 0 : value !== undefined && value !== null);

/** The field that a pick of this kind would fill: the one that asks, else the first that lacks it, else a list. */
export function openField(fields: readonly Field[], params: Record<string, unknown>, kinds: FieldKind[], asking: string | null = null): Field | null {
  const fitting = fields.filter((f) => kinds.includes(f.kind));
  return (
    fitting.find((f) => f.name === asking) ??
    fitting.find((f) => f.required && params[f.name] === undefined) ??
    fitting.find((f) => LISTS.includes(f.kind) && !(f.once && filled(params[f.name]))) ??
    null
  );
}

/** Whether everything is there that the tool cannot do without. */
export function complete(fields: readonly Field[], params: Record<string, unknown>): boolean {
  return fields.every((f) => {
    const value = params[f.name];
    if (f.oneOf && !fields.some((g) => g.oneOf === f.oneOf && filled(params[g.name]))) return false;
    if (!f.required) return true;
    return LISTS.includes(f.kind) ? Array.isArray(value) && value.length >= f.least : value !== undefined;
  });
}

export const isRef = (value: unknown): value is EdgeRef => typeof value === 'object' && value !== null && 'feature' in value;
