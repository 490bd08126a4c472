import type { LightsWanted } from '../api/types';
import { useView, type LightLineSettings } from './view';

/** The lights that a window shows, as they are asked for; null while it shows none. fresh: found for the part anew. */
export function lightsWanted(fresh = false): LightsWanted | null {
  const { light, lines } = useView.getState();
  return light === 'lines' ? asked(lines, fresh && lines.fitted) : null;
}

const asked = ({ kind, toward, turn, eye, spacing, height }: LightLineSettings, found: boolean): LightsWanted => ({
  kind,
  toward,
  turn,
  eye,
  spacing: found ? null : spacing,
  height: found ? null : height,
});
