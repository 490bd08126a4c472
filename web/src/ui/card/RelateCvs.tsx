import { notifications } from '@mantine/notifications';

import type { Params } from '../../api/types';
import { cvPoint } from '../../scene/cvPoint';
import { fieldBy } from '../../state/catalog';
import { startRepick } from '../../state/actions';
import { changeParams } from '../../state/drafts';
import { commit } from '../../state/session';
import { offers, relationsOf, type RelatedCv, type Relation } from '../../state/relations';
import { featureName, planeSteps, stepOf, useStudy } from '../../state/study';
import { useTools, type Cv } from '../../state/tools';

interface Picked {
  id: string;
  cv: number;
}

/** Change relations; what they look at may come later in the build: then the curve moves behind it, which is offered. */
function relateTo(holder: string, seen: string | undefined, changes: Params): void {
  const features = useStudy.getState().study?.features ?? [];
  const place = (id: string | undefined) => features.findIndex((f) => f.id === stepOf(id ?? ''));
  const to = place(seen);
  if (to <= place(holder)) {
    changeParams(holder, changes, true);
    return;
  }
  const words = `${featureName(seen ?? '')} comes later in the build.`;
  const close = () => notifications.hide('later');
  const move = () => {
    close();
    void commit({ op: 'several', ops: [{ op: 'move_step', id: holder, to }, { op: 'set_params', id: holder, changes }] });
  };
  const message = (
    <>
      {words}{' '}
      <button className="chip" onClick={move}>
        Move {featureName(holder)} behind it
      </button>
    </>
  );
  notifications.show({ id: 'later', message, autoClose: 15000, withBorder: true });
}

/** Buttons that relate the picked CVs, of one curve or of two. Of two, the later one in the build follows. */
export function RelateCvs({ id, cvs }: { id: string; cvs: readonly Cv[] }) {
  const features = useStudy((s) => s.study?.features);
  const shapes = useStudy((s) => s.shown.shapes);
  const selection = useTools((s) => s.selection);
  const others = selection?.kind === 'cvs' ? (selection.others ?? []) : [];
  const picked: Picked[] = [...cvs.map(([i]) => ({ id, cv: i })), ...others];
  const place = (of: string) => features?.findIndex((f) => f.id === of) ?? -1;
  const holder = picked.reduce((last, p) => (place(p.id) > place(last) ? p.id : last), id);
  const feature = features?.find((f) => f.id === holder);
  if (!feature || !fieldBy(feature.kind, 'relations'))
    return <div className="note">{featureName(holder)} comes later in the build and is no CV curve: it cannot follow.</div>;

  const planes = planeSteps(features);
  const add = (relation: Relation) => relateTo(holder, relation.line?.feature ?? relation.plane?.feature, { relations: [...relationsOf(feature.params), relation] });
  const related = picked.map((p): RelatedCv => (p.id === holder ? p.cv : { feature: p.id, cv: p.cv }));
  const places = picked.flatMap((p): [number, number, number][] => {
    const shape = shapes.get(p.id);
    return shape ? [cvPoint(shape, [p.cv, 0]).toArray()] : [];
  });
  if (places.length !== picked.length) return null;
  const count = shapes.get(holder)?.object.cvs.count[0] ?? 0;
  const only = picked.length === 1 ? picked[0] : undefined;
  const end = only && (only.cv === 0 ? 0 : only.cv === count - 1 ? 1 : null);
  const withLine = (relation: Relation) =>
    startRepick({ id: holder, field: 'relations', kind: 'line', take: (line) => 'edge' in line && add({ ...relation, line }) });

  return (
    <div role="group" aria-label="Relate the picked CVs">
      <div className="row">
        <span className="quiet">{others.length ? `Relate; ${feature.name} follows` : 'Relate'}</span>
      </div>
      <div className="chips">
        {offers(related, places).map(([label, relation]) => (
          <button key={label} className="chip" onClick={() => add(relation)}>
            {label}
          </button>
        ))}
        {typeof end === 'number' && (
          <button className="chip" title="Pick the line that this end is to meet; its continuity can be chosen then" onClick={() => withLine({ kind: 'joint', cvs: [], end, order: 2 })}>
            Meet a line…
          </button>
        )}
        {typeof end === 'number' && count > 2 && (
          <button
            className="chip"
            title="Pick a line: the first three CVs from this end stand in line with it as it runs at its nearer end"
            onClick={() => withLine({ kind: 'inline', cvs: [0, 1, 2].map((k) => (end ? count - 1 - k : k)), end })}
          >
            Three in line…
          </button>
        )}
        {only && planes.length > 0 && (
          <button
            className="chip"
            title="Pick a plane in the build: the CV keeps its height above it"
            onClick={() => startRepick({ id: holder, field: 'relations', kind: 'plane', take: (plane) => add({ kind: 'plane', cvs: [only.cv], plane: { feature: plane.feature }, value: 0 }) })}
          >
            On a plane…
          </button>
        )}
        {only && (
          <button className="chip" title="Pick a straight line that the curve is to touch at its widest" onClick={() => withLine({ kind: 'touch', cvs: [] })}>
            Touch a line…
          </button>
        )}
      </div>
    </div>
  );
}
