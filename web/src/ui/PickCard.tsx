import type { EdgeRef } from '../api/types';
import { isShown, pickEdge } from '../state/actions';
import { useStudy } from '../state/study';
import { useTools } from '../state/tools';
import { useView } from '../state/view';
import { edgeWords } from './ToolBar';

const short = (edge: string): string => edgeWords('', edge).split(', ')[1] ?? edge;

/** All edges by name while a tool wants one: for the keyboard, and where edges lie close together on the screen. */
export function PickCard() {
  const { study, shown } = useStudy();
  const { picks, tool } = useTools();
  const { isolated, combEdges } = useView();
  const faces = study?.features.filter((f) => shown.shapes.has(f.id) && isShown(f, isolated)) ?? [];
  const taken = (ref: EdgeRef) =>
    tool === 'comb'
      ? combEdges.some((e) => e.id === ref.feature && e.edge === ref.edge)
      : picks.some((p) => p.feature === ref.feature && p.edge === ref.edge);
  return (
    <section className="paper card" aria-label="Edges to pick">
      <h2>{tool === 'comb' ? 'Combs' : picks.length ? 'Second edge' : 'First edge'}</h2>
      <div className="quiet">Pick on the part, or here by name.</div>
      {faces.map((f) => (
        <div key={f.id} role="group" aria-label={f.name} style={{ marginTop: 8 }}>
          <div className="quiet">{f.name}</div>
          <div className="chips">
            {shown.shapes.get(f.id)?.edges.map(({ name }) => {
              const ref = { feature: f.id, edge: name };
              return (
                <button
                  key={name}
                  className="chip"
                  aria-label={edgeWords(f.id, name)}
                  aria-pressed={taken(ref)}
                  onClick={() => pickEdge(ref)}
                  onPointerEnter={() => useTools.setState({ hover: ref })}
                  onPointerLeave={() => useTools.setState({ hover: null })}
                  onFocus={() => useTools.setState({ hover: ref })}
                  onBlur={() => useTools.setState({ hover: null })}
                >
                  {short(name)}
                </button>
              );
            })}
          </div>
        </div>
      ))}
    </section>
  );
}
