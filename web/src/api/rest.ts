import type { Created, DemoLine, StudyLine, ToolInfo } from './types';

/** An error in the server's own words. */
export class ServerError extends Error {}

export async function ask<T>(path: string, init?: RequestInit): Promise<T> {
  const response = await answered(path, init);
  return (response.status === 204 ? undefined : await response.json()) as T;
}

async function answered(path: string, init?: RequestInit): Promise<Response> {
  let response: Response;
  try {
    response = await fetch(`/api${path}`, init);
  } catch {
    throw new ServerError('The server cannot be reached. What was stored is safe.');
  }
  if (!response.ok) {
    const body = (await response.json().catch(() => null)) as { message?: string } | null;
    throw new ServerError(body?.message ?? `The server answered ${response.status}.`);
  }
  return response;
}

export function upload(file: File): RequestInit {
  const body = new FormData();
  body.append('file', file);
  return { method: 'POST', body };
}

export const json = (value: unknown): RequestInit => ({
  method: 'POST',
  headers: { 'Content-Type': 'application/json' },
  body: JSON.stringify(value),
});

export const listStudies = () => ask<StudyLine[]>('/studies');
export const listDemos = () => ask<DemoLine[]>('/demos');
export const listTools = () => ask<ToolInfo[]>('/tools');
export const createStudy = (wanted: { name?: string; demo?: string }) => ask<Created>('/studies', json(wanted));
export const deleteStudy = (id: string) => ask<void>(`/studies/${id}`, { method: 'DELETE' });
export const thumbnailAddress = (id: string, version: number): string => `/api/studies/${id}/thumbnail?version=${version}`;

/** Keep a small picture of a study's part; that it fails is no matter. */
export const keepThumbnail = (id: string, version: number, picture: Blob): Promise<unknown> =>
  fetch(thumbnailAddress(id, version), { method: 'PUT', body: picture }).catch(() => undefined);

export const pictureAddress = (id: string, asset: string): string => `/api/studies/${id}/pictures/${asset}`;

/** Fetches a file first, so that an error is shown in words, then hands it to the browser; returns its name. */
export async function download(path: string): Promise<string> {
  const response = await answered(path);
  const name = /filename="([^"]+)"/.exec(response.headers.get('Content-Disposition') ?? '')?.[1] ?? 'study';
  const link = document.createElement('a');
  link.href = URL.createObjectURL(await response.blob());
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
  return name;
}
