import { Menu } from '@mantine/core';

import type { ToolInfo } from '../../api/types';
import { startTool, toggleCvs } from '../../state/actions';
import { toolOf, useCatalog } from '../../state/catalog';
import { stepOf, useStudy } from '../../state/study';
import { COMBS, problemOf, toolOfHand, useTools, type Stage } from '../../state/tools';
import { useView } from '../../state/view';
import { refWords } from '../../state/words';
import { openers } from './commands';

/** Headings of the menu in a row, by what one has in hand; others stand behind them. */
const HEADINGS = ['Draw', 'Change', 'On faces'];

/** The tools of the stage, and one line that says what the tool wants next. */
export function ToolBar() {
  const stage = useTools((s) => s.stage);
  const tool = useTools(toolOfHand);
  return (
    <>
      <div className="paper tools" role="toolbar" aria-label="Tools">
        {stage === 'primaries' && <MoveCvs />}
        {stage === 'check' && (
          <button aria-pressed={tool === COMBS} onClick={() => startTool(COMBS)}>
            Comb on edges
          </button>
        )}
        <StageTools stage={stage} tool={tool} />
        {stage === 'plan' && (
          <>
            <button onClick={() => openers.importMesh?.()}>Reference mesh</button>
            <button onClick={() => openers.importPicture?.()}>Reference picture</button>
          </>
        )}
        {stage === 'handover' && <button onClick={() => openers.export?.()}>Export</button>}
        {(stage === 'primaries' || stage === 'handover') && <button onClick={() => openers.importStep?.()}>Import STEP</button>}
      </div>
      <Ask />
    </>
  );
}

function MoveCvs() {
  const { selection, cvsOf } = useTools();
  const step = useStudy((s) => s.study?.features.find((f) => selection && f.id === stepOf(selection.id)));
  const shaped = useStudy((s) => (selection ? s.kept.shapes.get(selection.id)?.object.kind : undefined));
  // The CVs of every face can be moved, those of a curve where its step draws it by them.
  const selected = selection && step && (shaped === 'face' || toolOf(step.kind)?.movable) ? selection : undefined;
  return (
    <button
      disabled={!selected}
      title={selected ? '' : 'Pick a face or a curve first'}
      aria-pressed={selected ? cvsOf.includes(selected.id) : false}
      onClick={() => selected && toggleCvs(selected.id)}
    >
      Move CVs
    </button>
  );
}

/** The tools of a stage: in a row, those of a section in the menu behind it. */
function StageTools({ stage, tool }: { stage: Stage; tool: string | null }) {
  const tools = useCatalog((s) => s.tools);
  const failed = useCatalog((s) => s.failed);
  const all = [...tools.values()].filter((t) => t.stage === stage);
  const rest = all.filter((t) => t.section);
  const titles = [...new Set([...HEADINGS, ...rest.map((t) => t.section)])].filter((title) => rest.some((t) => t.section === title));
  const other = rest.find((t) => t.kind === tool);
  if (failed) return <span className="state over">▲ The tools could not be loaded: {failed}</span>;
  return (
    <>
      {all
        .filter((t) => !t.section)
        .map((t) => (
          <button key={t.kind} aria-pressed={tool === t.kind} title={t.key && `Key ${t.key}`} onClick={() => startTool(t.kind)}>
            {t.label}
          </button>
        ))}
      {rest.length > 0 && (
        <Menu position="bottom-end" width={160 * titles.length}>
          <Menu.Target>
            <button aria-pressed={other !== undefined}>{other?.label ?? 'More…'}</button>
          </Menu.Target>
          <Menu.Dropdown>
            <div className="columns">
              {titles.map((title) => (
                <Section key={title} title={title} tools={rest.filter((t) => t.section === title)} />
              ))}
            </div>
          </Menu.Dropdown>
        </Menu>
      )}
    </>
  );
}

function Section({ title, tools }: { title: string; tools: ToolInfo[] }) {
  return (
    <div>
      <Menu.Label>{title}</Menu.Label>
      {tools.map((t) => (
        <Menu.Item key={t.kind} onClick={() => startTool(t.kind)}>
          {t.label}
        </Menu.Item>
      ))}
    </div>
  );
}

const ASKS = { face: 'Pick another face.', line: 'Pick another line.', plane: 'Pick another plane in the build.', point: 'Click where it is to be.' };
const AT_STAGE: Partial<Record<Stage, string>> = {
  plan: 'Planes to draw in and references to draw over.',
  curves: 'Pick a curve, or a tool to draw one.',
  primaries: 'Pick a face to see and move its CVs.',
};

function Ask() {
  const { hand, stage, selection, hover, caught } = useTools();
  const draft = hand.at === 'step' ? hand.draft : null;
  const problem = useTools(problemOf);
  const info = toolOf(draft?.kind);
  const catching = useView((s) => s.catching.on);
  const drawn = useStudy((s) => (draft ? s.shown.features.has(draft.id) : false));
  if (problem) return <div className="ask problem" role="alert">▲ {problem}</div>;
  let words = AT_STAGE[stage] ?? '';
  if (hand.at === 'repicking') words = `${ASKS[hand.repick.kind]} Esc leaves it as it is.`;
  else if (draft) words = (drawn && info?.doing) || (info?.ask ?? '');
  else if (hand.at === 'combs') words = 'Pick an edge to show its comb, again to hide it.';
  else if (selection?.kind === 'cvs') words = `Drag a CV. Shift is fine, Alt catches ${catching ? 'nothing' : 'what is near'}; Shift and click picks more.`;
  return (
    <div className={words || caught || hover ? 'ask said' : 'ask'}>
      {words}
      <span className="under" role="status" aria-label="Under the pointer">
        {caught ? `caught: ${caught.words}` : hover ? refWords(hover) : ''}
      </span>
    </div>
  );
}
