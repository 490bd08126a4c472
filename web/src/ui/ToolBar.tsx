import { startTool, toggleCvs } from '../state/actions';
import { featureName, useStudy } from '../state/study';
import { useTools } from '../state/tools';
import { openers } from './commands';

const EDGES: Record<string, string> = { u0: 'u start', u1: 'u end', v0: 'v start', v1: 'v end' };

/** An edge in words: the face's name and which side it is. */
export const edgeWords = (feature: string, edge: string): string => `${featureName(feature)}, ${EDGES[edge] ?? edge}`;

/** The tools of the stage, and one line that says what the tool wants next. */
export function ToolBar() {
  const { stage, tool, selection, cvsOf } = useTools();
  const study = useStudy((s) => s.study);
  const selected = study?.features.find((f) => f.id === selection?.id && f.kind === 'face');
  return (
    <>
      <div className="paper tools" role="toolbar" aria-label="Tools">
        {stage === 'primaries' && (
          <>
            <button
              disabled={!selected}
              title={selected ? '' : 'Pick a face first'}
              aria-pressed={selected ? cvsOf.includes(selected.id) : false}
              onClick={() => selected && toggleCvs(selected.id)}
            >
              Move CVs
            </button>
            <button onClick={() => openers.importStep?.()}>Import STEP</button>
          </>
        )}
        {stage === 'blends' && (
          <button aria-pressed={tool === 'edge_blend'} onClick={() => startTool('edge_blend')}>
            Edge blend
          </button>
        )}
        {stage === 'check' && (
          <button aria-pressed={tool === 'comb'} onClick={() => startTool('comb')}>
            Comb on edges
          </button>
        )}
        {stage === 'handover' && (
          <>
            <button onClick={() => openers.export?.()}>Export</button>
            <button onClick={() => openers.importStep?.()}>Import STEP</button>
          </>
        )}
      </div>
      <Ask />
    </>
  );
}

function Ask() {
  const { tool, picks, draft, problem, stage, selection, hover } = useTools();
  const first = picks[0];
  if (problem) return <div className="ask problem" role="alert">▲ {problem}</div>;
  let words = '';
  if (draft) words = 'Pull the round handles for fullness. Enter keeps the blend, Esc drops it.';
  else if (tool === 'edge_blend')
    words = first ? `First edge: ${edgeWords(first.feature, first.edge)}. Pick the second edge.` : 'Pick the first edge.';
  else if (tool === 'comb') words = 'Pick an edge to show its comb, again to hide it.';
  else if (selection?.kind === 'cvs') words = 'Drag a CV. Shift while dragging is fine, Shift and click picks several.';
  else if (stage === 'primaries') words = 'Pick a face to see and move its CVs.';
  return (
    <div className="ask">
      {words}
      <span className="under" role="status" aria-label="Under the pointer">
        {hover && 'edge' in hover ? edgeWords(hover.feature, hover.edge) : ''}
      </span>
    </div>
  );
}
