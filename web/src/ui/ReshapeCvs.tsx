import { reshape } from '../state/session';
import { useTools, type Cv } from '../state/tools';

const ACTIONS: Record<string, [action: string, label: string, title: string][]> = {
  cv_curve: [
    ['even', 'Even out', 'The picked CVs move to an even progress of the polygon'],
    ['insert', 'Insert beside', 'One CV more, and nothing moves'],
    ['delete', 'Delete', 'The nearest curve with fewer CVs; how far it moves is said'],
  ],
  point_curve: [
    ['smooth', 'Smooth', 'The picked points move halfway to an even progress'],
    ['insert', 'Insert after', 'A point on the curve, halfway to the next'],
    ['delete', 'Delete', 'The curve no longer goes through the picked points'],
    ['direct', 'Give a direction', 'A handle for the direction of the curve here'],
    ['free', 'Free', 'Take the direction away again'],
  ],
};

/** CVs or points are counted anew by these: what was picked is no longer what it was. */
const RECOUNT = new Set(['insert', 'delete']);

/** Changes of a curve at the picked CVs or points. */
export function ReshapeCvs({ id, kind, cvs }: { id: string; kind: string; cvs: readonly Cv[] }) {
  const actions = ACTIONS[kind];
  if (!actions) return null;
  const run = async (action: string) => {
    const done = await reshape(id, action, cvs.map(([i]) => i));
    if (done && RECOUNT.has(action)) useTools.setState({ selection: { kind: 'feature', id } });
  };
  return (
    <div className="chips" role="group" aria-label="Change the curve here">
      {actions.map(([action, label, title]) => (
        <button key={action} className="chip" title={title} onClick={() => void run(action)}>
          {label}
        </button>
      ))}
    </div>
  );
}
