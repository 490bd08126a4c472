import { Menu } from '@mantine/core';

import { startTool, toggleCvs } from '../state/actions';
import { useCatalog } from '../state/catalog';
import { featureName, stepOf, useStudy } from '../state/study';
import { useTools, type Stage } from '../state/tools';
import { openers } from './commands';

/** Curve tools that stand in the row; the others are in the menu beside them. */
const FIRST = ['cv_curve', 'two_view', 'offset_curve', 'blend_curve', 'match_curve', 'fit_curve', 'project_curve'];

/** The other curve tools, by what one has in hand. One that is not listed stands with those that change curves. */
const MORE: Record<string, readonly string[]> = {
  Draw: ['point_curve', 'line', 'arc', 'ellipse', 'rectangle'],
  Change: ['corner_curve', 'mid_curve', 'trim_curve', 'cut_curve', 'extend_curve', 'meet_curves', 'join_curves', 'copy_curve'],
  'On faces': ['surface_offset', 'iso_curve', 'edge_curve', 'surface_line', 'section_curve', 'intersection_curve'],
};

const EDGES: Record<string, string> = { u0: 'u start', u1: 'u end', v0: 'v start', v1: 'v end' };

/** An edge in words: the face's name and which side it is. */
export function edgeWords(feature: string | { feature: string }, edge: string): string {
  const name = featureName(typeof feature === 'string' ? feature : feature.feature);
  if (!edge || edge === 'c0') return name;
  return `${name}, ${lineWords(edge)}`;
}

/** A line of an object in words: a side, what cut it there, or its number; "1 of 2" where it comes in several. */
function lineWords(edge: string): string {
  const [, base, parts] = /^(.*?)((?:\.\d+of\d+)*)$/.exec(edge) ?? [];
  const name = base ?? edge;
  const by = name.indexOf(':');
  const words = EDGES[name] ?? (by >= 0 ? cutWords(name.slice(0, by), name.slice(by + 1)) : /^c\d+$/.test(name) ? `curve ${Number(name.slice(1)) + 1}` : lineOf(name));
  return parts ? `${words} ${parts.slice(1).replaceAll('.', ', ').replaceAll('of', ' of ')}` : words;
}

const known = (id: string): boolean => useStudy.getState().study?.features.some((f) => f.id === stepOf(id)) ?? false;

const lineOf = (name: string): string => (known(name) ? `on ${featureName(name)}` : name);

/** An edge that a step cut: by which object, or the number of the cut. */
function cutWords(step: string, cutter: string): string {
  if (known(cutter)) return `cut by ${featureName(cutter)}`;
  const curve = cutter.slice(0, cutter.lastIndexOf('-'));
  return known(curve) ? `cut by ${featureName(curve)}` : `cut ${cutter} of ${featureName(step)}`;
}

/** The tools of the stage, and one line that says what the tool wants next. */
export function ToolBar() {
  const { stage, tool, selection, cvsOf } = useTools();
  const study = useStudy((s) => s.study);
  const tools = useCatalog((s) => s.tools);
  const shaped = useStudy((s) => (selection ? s.kept.shapes.get(selection.id)?.object.kind : undefined));
  const step = study?.features.find((f) => selection && f.id === stepOf(selection.id));
  // The CVs of every face can be moved, those of a curve where its step draws it by them.
  const selected = selection && step && (shaped === 'face' || tools.get(step.kind)?.movable) ? selection : undefined;
  return (
    <>
      <div className="paper tools" role="toolbar" aria-label="Tools">
        {stage === 'plan' && (
          <>
            <StageTools stage="plan" tool={tool} />
            <button onClick={() => openers.importMesh?.()}>Reference mesh</button>
            <button onClick={() => openers.importPicture?.()}>Reference picture</button>
          </>
        )}
        {stage === 'curves' && <CurveTools tool={tool} />}
        {stage === 'primaries' && (
          <>
            <button
              disabled={!selected}
              title={selected ? '' : 'Pick a face or a curve first'}
              aria-pressed={selected ? cvsOf.includes(selected.id) : false}
              onClick={() => selected && toggleCvs(selected.id)}
            >
              Move CVs
            </button>
            <StageTools stage="primaries" tool={tool} />
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
        {stage === 'check' && <StageTools stage="check" tool={tool} />}
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

/** All tools of a stage in a row. */
function StageTools({ stage, tool }: { stage: Stage; tool: string | null }) {
  const tools = useCatalog((s) => s.tools);
  return [...tools.values()]
    .filter((t) => t.stage === stage)
    .map((t) => (
      <button key={t.kind} aria-pressed={tool === t.kind} onClick={() => startTool(t.kind)}>
        {t.label}
      </button>
    ));
}

function CurveTools({ tool }: { tool: string | null }) {
  const tools = useCatalog((s) => s.tools);
  const all = [...tools.values()].filter((t) => t.stage === 'curves');
  const rest = all.filter((t) => !FIRST.includes(t.kind));
  const listed = Object.values(MORE).flat();
  const sections = Object.entries(MORE).map(([title, kinds]) => ({
    title,
    items: rest.filter((t) => kinds.includes(t.kind) || (title === 'Change' && !listed.includes(t.kind))),
  }));
  const other = rest.find((t) => t.kind === tool);
  return (
    <>
      {FIRST.flatMap((kind) => tools.get(kind) ?? []).map((t) => (
        <button key={t.kind} aria-pressed={tool === t.kind} onClick={() => startTool(t.kind)}>
          {t.label}
        </button>
      ))}
      <Menu position="bottom-end" width={480}>
        <Menu.Target>
          <button aria-pressed={other !== undefined}>{other?.label ?? 'More…'}</button>
        </Menu.Target>
        <Menu.Dropdown>
          <div className="columns">
            {sections.map(({ title, items }) => (
              <div key={title}>
                <Menu.Label>{title}</Menu.Label>
                {items.map((t) => (
                  <Menu.Item key={t.kind} onClick={() => startTool(t.kind)}>
                    {t.label}
                  </Menu.Item>
                ))}
              </div>
            ))}
          </div>
        </Menu.Dropdown>
      </Menu>
    </>
  );
}

const ASKS = { face: 'Pick another face.', line: 'Pick another line.', plane: 'Pick another plane in the build.', point: 'Click where it is to be.' };

function Ask() {
  const { tool, picks, draft, problem, stage, selection, hover, caught, repick } = useTools();
  const info = useCatalog((s) => (draft ? s.tools.get(draft.kind) : undefined));
  const first = picks[0];
  if (problem) return <div className="ask problem" role="alert">▲ {problem}</div>;
  let words = '';
  if (repick) words = `${ASKS[repick.kind]} Esc leaves it as it is.`;
  else if (draft && draft.kind !== 'edge_blend') words = info?.ask ?? '';
  else if (draft) words = 'Pull the round handles for fullness. Enter keeps the blend, Esc drops it.';
  else if (tool === 'edge_blend')
    words = first ? `First edge: ${edgeWords(first.feature, first.edge)}. Pick the second edge.` : 'Pick the first edge.';
  else if (tool === 'comb') words = 'Pick an edge to show its comb, again to hide it.';
  else if (selection?.kind === 'cvs') words = 'Drag a CV. Shift is fine, Alt catches nothing; Shift and click picks more.';
  else if (stage === 'plan') words = 'Planes to draw in and references to draw over.';
  else if (stage === 'curves') words = 'Pick a curve, or a tool to draw one.';
  else if (stage === 'primaries') words = 'Pick a face to see and move its CVs.';
  return (
    <div className={words || caught || hover ? 'ask said' : 'ask'}>
      {words}
      <span className="under" role="status" aria-label="Under the pointer">
        {caught ? `caught: ${caught.words}` : hover ? edgeWords(hover.feature, 'edge' in hover ? hover.edge : '') : ''}
      </span>
    </div>
  );
}
