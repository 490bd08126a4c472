import { toolOf } from '../../state/catalog';
import { reshape } from '../../state/session';
import { useTools, type Cv } from '../../state/tools';

/** Changes of a curve at the picked CVs or points. */
export function ReshapeCvs({ id, kind, cvs }: { id: string; kind: string; cvs: readonly Cv[] }) {
  const actions = toolOf(kind)?.actions.filter((a) => a.at !== 'whole' && !a.asks) ?? [];
  if (!actions.length) return null;
  const run = async (action: string, recounts: boolean) => {
    const done = await reshape(id, action, cvs.map(([i]) => i));
    // CVs or points are counted anew: what was picked is no longer what it was.
    if (done && recounts) useTools.setState({ selection: { kind: 'feature', id } });
  };
  return (
    <div className="chips" role="group" aria-label="Change the curve here">
      {actions.map((a) => (
        <button key={a.name} className="chip" title={a.about} onClick={() => void run(a.name, a.recounts)}>
          {a.label}
        </button>
      ))}
    </div>
  );
}
