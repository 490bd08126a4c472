import { create } from 'zustand';

import { listTools } from '../api/rest';
import type { EdgeRef, Params, ToolInfo } from '../api/types';

/** A field of a tool as the server describes it. */
export type Field = ToolInfo['fields'][number];
export type Widget = Field['widget'];
export type Figure = ToolInfo['figures'][number];

interface Catalog {
  tools: ReadonlyMap<string, ToolInfo>;
  /** Why the tools could not be loaded. */
  failed: string | null;
}

export const useCatalog = create<Catalog>(() => ({ tools: new Map(), failed: null }));

export async function loadCatalog(): Promise<void> {
  if (useCatalog.getState().tools.size) return;
  try {
    const tools = await listTools();
    useCatalog.setState({ tools: new Map(tools.map((t) => [t.kind, t])), failed: null });
  } catch (error) {
    useCatalog.setState({ failed: error instanceof Error ? error.message : String(error) });
  }
}

export const toolOf = (kind: string | undefined): ToolInfo | undefined => useCatalog.getState().tools.get(kind ?? '');
const NONE: readonly Field[] = [];
export const fieldsOf = (kind: string | undefined): readonly Field[] => toolOf(kind)?.fields ?? NONE;

/** The field of a tool that is shown by a widget. */
export const fieldBy = (kind: string | undefined, widget: Widget): Field | undefined => fieldsOf(kind).find((f) => f.widget === widget);

/** Fields that take several picks. */
export const LISTS: readonly Widget[] = ['lines', 'faces', 'planes', 'points'];

/** Whether a field counts with the choices that are made. */
export function counts(field: Field, fields: readonly Field[], params: Params): boolean {
  return Object.entries(field.when ?? {}).every(([name, words]) => {
    const chosen = params[name] ?? fields.find((f) => f.name === name)?.fallback;
    return words.includes(String(chosen));
  });
}

const filled = (value: unknown): boolean => (Array.isArray(value) ? value.length > 0 : value !== undefined && value !== null);

/** Whether the tool still asks for a field: it must be given, or is placed by a click though it has a default. */
export const lacks = (field: Field, fields: readonly Field[], params: Params): boolean =>
  (field.required || field.placed) && params[field.name] === undefined && counts(field, fields, params);

/** Whether a choice decides on what the tool asks for. */
export const decides = (field: Field, fields: readonly Field[]): boolean => fields.some((f) => f.placed && f.when && field.name in f.when);

/** The field that a pick of this kind would fill: the one that asks, else the first that lacks it, else a list. */
export function openField(fields: readonly Field[], params: Params, widgets: readonly Widget[], asking: string | null = null): Field | null {
  const fitting = fields.filter((f) => widgets.includes(f.widget));
  return (
    fitting.find((f) => f.name === asking) ??
    fitting.find((f) => lacks(f, fields, params)) ??
    fitting.find((f) => LISTS.includes(f.widget) && !f.waits && !(f.once && filled(params[f.name]))) ??
    null
  );
}

/** Whether everything is there that the tool cannot do without. */
export function complete(fields: readonly Field[], params: Params): boolean {
  return fields.every((f) => {
    const value = params[f.name];
    if (f.one_of && !fields.some((g) => g.one_of === f.one_of && filled(params[g.name]))) return false;
    if (f.placed && lacks(f, fields, params)) return false;
    if (!f.required) return true;
    if (f.widget === 'cvs') return clicked(value).length > 1;
    return LISTS.includes(f.widget) ? Array.isArray(value) && value.length >= f.least : value !== undefined;
  });
}

/** CVs of a curve that have been clicked. */
export const clicked = (value: unknown): [number, number, number][] => (value as { control?: [number, number, number][] } | undefined)?.control ?? [];

export const isRef = (value: unknown): value is EdgeRef => typeof value === 'object' && value !== null && 'feature' in value;
