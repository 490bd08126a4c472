import { Button, useComputedColorScheme } from '@mantine/core';
import { useEffect, useMemo, useRef, useState, type CSSProperties } from 'react';

import { goToList } from '../address';
import { listen } from '../scene/interaction';
import { Viewport } from '../scene/viewport';
import { startTool } from '../state/actions';
import { beginningOf } from '../state/beginnings';
import { useCompare } from '../state/compare';
import { useCatalog } from '../state/catalog';
import { showDraft } from '../state/drafts';
import { openStudy } from '../state/session';
import { useStudy } from '../state/study';
import { draftOf, toolOfHand, useTools } from '../state/tools';
import { eye, useView } from '../state/view';
import { PALETTES } from '../theme';
import { Finder } from './bar/Finder';
import { useKeys } from './bar/keys';
import { KeySheet } from './bar/KeySheet';
import { ToolBar } from './bar/ToolBar';
import { TopBar } from './bar/TopBar';
import { Working } from './bar/Working';
import { BuildPanel } from './build/BuildPanel';
import { DeleteDialog } from './build/DeleteDialog';
import { Card } from './card/Card';
import { Fence } from './Fence';
import { ExportDialog } from './files/ExportDialog';
import { FileImporter } from './files/FileImporter';
import { Unfold } from './Fold';
import { Hint } from './Hint';
import { Ledger } from './ledger/Ledger';
import { Legend } from './lights/Legend';
import { LightBar } from './lights/LightBar';
import { LightSeams } from './lights/LightSeams';
import { CompareOverlay } from './part/CompareOverlay';
import { Overlays } from './part/Overlays';
import { Scene } from './part/scene';
import { Thumbnail } from './part/Thumbnail';

/** One open study: the part fills the window, everything else floats at its edges. */
export function Workspace({ id }: { id: string }) {
  const begun = useMemo(() => beginningOf(id), [id]);
  const host = useRef<HTMLDivElement>(null);
  const dock = useRef<HTMLDivElement>(null);
  const [viewport, setViewport] = useState<Viewport | null>(null);
  const [docked, setDocked] = useState(60);
  const [blind, setBlind] = useState<string | null>(null);
  const scheme = useComputedColorScheme('light');
  const panels = useView((s) => s.panels);
  const swapped = useView((s) => s.swapped);
  const joining = useTools((s) => s.stage === 'blends' || s.stage === 'corners' || s.stage === 'check');
  const seams = useStudy((s) => s.shown.seams.length);
  const carded = useTools((s) => `${draftOf(s)?.id ?? ''} ${s.selection?.id ?? ''} ${toolOfHand(s) ?? ''}`);
  const version = useStudy((s) => s.version);
  const compared = useCompare((s) => s.mode);
  const ledger = seams > 0 || joining;

  useEffect(() => openStudy(id), [id]);
  const ready = useStudy((s) => s.id === id && s.study !== null);
  const tools = useCatalog((s) => s.tools.size > 0);
  useEffect(() => {
    if (ready && tools && begun.tool) startTool(begun.tool);
  }, [ready, tools, begun]);
  // A change beside a step in work, even hiding a face, takes its preview away: it is shown again.
  useEffect(showDraft, [version]);
  useEffect(() => {
    if (!host.current) return;
    let made: Viewport;
    try {
      made = new Viewport(host.current, setBlind);
    } catch (error) {
      setBlind(error instanceof Error ? error.message : String(error));
      return;
    }
    const stop = listen(made);
    eye.direction = () => made.view.toEye.toArray();
    setViewport(made);
    return () => {
      stop();
      made.dispose();
      setViewport(null);
    };
  }, []);
  useEffect(() => {
    const box = dock.current;
    if (!box) return;
    const observer = new ResizeObserver(() => setDocked(box.offsetHeight));
    observer.observe(box);
    return () => observer.disconnect();
  }, []);
  useEffect(() => {
    if (!viewport) return;
    viewport.setGround(PALETTES[scheme].ground);
    const { innerWidth: w, innerHeight: h } = window;
    const sides: [number, number] = [(panels.build ? 240 : 12) / w, (panels.card ? 270 : 60) / w];
    const [left, right] = swapped ? [sides[1], sides[0]] : sides;
    viewport.leave({ left, right, top: 120 / h, bottom: (docked + 20) / h });
  }, [viewport, scheme, panels, swapped, docked]);
  useKeys(viewport);

  return (
    <div className={swapped ? 'workspace swapped' : 'workspace'} style={{ '--dock': `${docked}px` } as CSSProperties}>
      <div
        className="part"
        ref={host}
        role="application"
        tabIndex={0}
        aria-label="The part. Arrow keys turn it, with Shift they move it; plus and minus go nearer and farther."
      />
      {viewport && <Scene viewport={viewport} palette={PALETTES[scheme]} />}
      {viewport && compared !== 'side' && <Overlays viewport={viewport} />}
      <CompareOverlay />
      {viewport && <Thumbnail viewport={viewport} />}
      <TopBar />
      <ToolBar />
      {panels.build ? <BuildPanel /> : <Unfold panel="build" />}
      {panels.card ? (
        <Fence what="This card" about={carded}>
          <Card />
        </Fence>
      ) : (
        carded.trim() && <Unfold panel="card" />
      )}
      <div className="dock" ref={dock}>
        <div className="dock-row">
          <Legend />
          <LightSeams viewport={viewport} />
          <LightBar viewport={viewport} />
          {ledger && !panels.ledger && <Unfold panel="ledger" more={seams ? ` ${seams}` : ''} />}
        </div>
        {panels.ledger && ledger && (
          <Fence what="The seam ledger" about={String(version)}>
            <Ledger viewport={viewport} />
          </Fence>
        )}
      </div>
      <Finder viewport={viewport} />
      <KeySheet viewport={viewport} />
      <ExportDialog />
      <DeleteDialog />
      <FileImporter begun={ready ? begun.file : undefined} />
      <Working />
      <Notices blind={blind} />
      <Hint text={begun.hint ?? ''} />
    </div>
  );
}

/** What the window as a whole has to say. */
function Notices({ blind }: { blind: string | null }) {
  const opening = useStudy((s) => s.study === null && s.gone === null);
  const lost = useStudy((s) => s.study !== null && !s.connected);
  const draft = useTools((s) => draftOf(s)?.name);
  const showBefore = useStudy((s) => s.showBefore);
  const gone = useStudy((s) => s.gone);
  return (
    <>
      {gone && (
        <div className="paper gone" role="alert">
          <p>{gone}</p>
          <Button size="xs" onClick={goToList}>
            All studies
          </Button>
        </div>
      )}
      {blind && (
        <div className="paper gone" role="alert">
          <p>The part cannot be drawn: {blind}</p>
          <p className="quiet">Nothing is lost; lists, cards and figures go on.</p>
        </div>
      )}
      {opening && (
        <div className="paper notice" role="status">
          Opening the study…
        </div>
      )}
      {showBefore && <div className="paper before-flag">Before the last change</div>}
      {lost && (
        <div className="paper notice bad" role="alert">
          The server cannot be reached; it is tried again. All that was kept is stored{draft ? `; “${draft}”, in work, is not yet` : ''}.
        </div>
      )}
    </>
  );
}
