import type { Role } from '../../api/types';

/** Roles in the order of the job. */
export const ROLES: [Role, string][] = [
  ['construction', 'Construction'],
  ['theoretical', 'Theoretical'],
  ['primary', 'Primary'],
  ['secondary', 'Secondary'],
  ['tertiary', 'Tertiary'],
];
