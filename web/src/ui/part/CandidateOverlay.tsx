import { pointTo } from '../../state/repoint';
import type { Viewport } from '../../scene/viewport';
import { useStudy } from '../../state/study';
import { useTools } from '../../state/tools';
import { edgeWords } from '../../state/words';

/** The lines that may be meant by one that is gone, on the part: a click points the step to one. */
export function CandidateOverlay({ viewport }: { viewport: Viewport }) {
  const selection = useTools((s) => s.selection);
  const id = selection?.kind === 'feature' ? selection.id : null;
  const { shapes, features } = useStudy.getState().shown;
  const lost = id ? features.get(id)?.lost : null;
  const shape = lost && shapes.get(lost.feature);
  if (!id || !lost || !shape) return null;
  return lost.candidates.map((name, i) => {
    const points = shape.edges.find((e) => e.name === name)?.points;
    if (!points) return null;
    const k = 3 * Math.floor(points.length / 6);
    const at = viewport.view.project([points[k] ?? 0, points[k + 1] ?? 0, points[k + 2] ?? 0]);
    const words = `Point to ${edgeWords(lost.feature, name)}`;
    const show = (on: boolean) => useTools.setState({ hover: on ? { feature: lost.feature, edge: name } : null });
    return (
      <button
        key={name}
        className="region kept"
        style={{ left: at.x, top: at.y }}
        aria-label={words}
        title={words}
        onPointerEnter={() => show(true)}
        onPointerLeave={() => show(false)}
        onClick={() => pointTo(id, lost, name)}
      >
        {i + 1}
      </button>
    );
  });
}
