import { Vector3 } from 'three';

import type { Shape } from '../state/study';
import type { Cv } from '../state/tools';

/** Where a CV lies. */
export const cvPoint = ({ object }: Shape, [i, j]: Cv): Vector3 => {
  const k = (i * object.cvs.count[1] + j) * 3;
  const p = object.cvs.points;
  return new Vector3(p[k], p[k + 1], p[k + 2]);
};
