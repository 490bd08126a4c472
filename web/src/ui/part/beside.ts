import type { Viewport } from '../../scene/viewport';

/** Where words beside a place stand: on its right, or on its left where a panel would cover them. */
export function beside(viewport: Viewport, x: number, away: number): { x: number; textAnchor: 'start' | 'end' } {
  const covered = x > viewport.view.width * (1 - viewport.free.right) - 175;
  return { x: covered ? x - away : x + away, textAnchor: covered ? 'end' : 'start' };
}
