import { ask, json } from './rest';
import type { OpenTo, Person } from './types';

export const whoAmI = (study: string | null) => ask<Person>(`/who${study === null ? '' : `?study=${study}`}`);
export const signIn = (name: string, password: string) => ask<void>('/sign-in', json({ name, password }));
export const signOut = () => ask<void>('/sign-out', { method: 'POST' });

export const sharingOf = (study: string) => ask<OpenTo>(`/studies/${study}/sharing`);
export const addGuest = (study: string, name: string) => ask<OpenTo>(`/studies/${study}/sharing/guests`, json({ name }));
export const removeGuest = (study: string, name: string) => ask<OpenTo>(`/studies/${study}/sharing/guests/${encodeURIComponent(name)}`, { method: 'DELETE' });
export const makeLink = (study: string) => ask<OpenTo>(`/studies/${study}/sharing/link`, { method: 'POST' });
export const removeLink = (study: string) => ask<OpenTo>(`/studies/${study}/sharing/link`, { method: 'DELETE' });
