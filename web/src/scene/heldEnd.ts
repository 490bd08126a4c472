import { fieldsOf } from '../state/catalog';
import { commit, tell } from '../state/session';
import { featureName, useStudy, type Shape } from '../state/study';
import type { Cv } from '../state/tools';

/** In the middle of a drag a key 0 to 3 sets what the curve's nearer end holds, G0 to G3; the same key again frees it. */
export function heldEnd(shape: Shape, [i]: Cv, key: string): boolean {
  const feature = useStudy.getState().study?.features.find((f) => f.id === shape.id);
  const holds = fieldsOf(feature?.kind).filter((f) => f.widget === 'continuity' && f.optional && f.fold);
  const field = holds[i < shape.object.cvs.count[0] / 2 ? 0 : 1];
  if (!feature || !field || holds.length !== 2 || !/^[0-3]$/.test(key)) return false;
  const order = feature.params[field.name] === Number(key) ? null : Number(key);
  void commit({ op: 'set_params', id: feature.id, changes: { [field.name]: order } }).then(
    (done) => done && tell(`${featureName(feature.id)}: ${field.title.toLowerCase()} ${order === null ? 'nothing' : `G${order}`}.`, true),
  );
  return true;
}
