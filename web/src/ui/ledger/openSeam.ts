import type { Viewport } from '../../scene/viewport';
import { useStudy, type SeamLine } from '../../state/study';
import { useView, type StripFigure } from '../../state/view';

/** Below this share of its limit no figure stands out. */
const QUIET = 0.1;

/** The figure that decides a seam: the one worst against its limit, or the target's own where nothing stands out. */
export function decidingFigure(s: SeamLine, limits: { gap?: number; angle?: number; curvature?: number }): StripFigure {
  const over: [StripFigure, number][] = [
    ['gap', s.gap.max / (limits.gap ?? 0.01)],
    ['angle', s.angle.max / (limits.angle ?? 0.1)],
    ['curvature', s.curvature.max / (limits.curvature ?? 5)],
  ];
  const asked = over.slice(0, Math.min(2, s.target) + 1);
  const worst = asked.reduce((a, b) => (b[1] >= a[1] ? b : a));
  return worst[1] < QUIET ? (asked.at(-1) ?? worst)[0] : worst[0];
}

/** Show a seam's figures along its length, and go to the worst place of the one that decides it. */
export function openSeam(seam: SeamLine, viewport: Viewport | null): void {
  const figure = decidingFigure(seam, useStudy.getState().study?.limits ?? {});
  useView.setState(({ panels }) => ({ activeSeam: seam.key, stripFigure: figure, stripRow: null, panels: { ...panels, ledger: true } }));
  viewport?.flyTo(seam[figure].point, Math.max(60, seam.length * 0.9));
}
