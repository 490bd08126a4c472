import { Button, useComputedColorScheme } from '@mantine/core';
import { useEffect, useMemo, useRef, useState } from 'react';

import { goToList } from '../address';
import { listen } from '../scene/interaction';
import { Viewport } from '../scene/viewport';
import { openStudy } from '../state/session';
import { useStudy } from '../state/study';
import { useTools } from '../state/tools';
import { eye, useView } from '../state/view';
import { PALETTES } from '../theme';
import { BuildPanel } from './BuildPanel';
import { Card } from './Card';
import { Fence } from './Fence';
import { Finder } from './Finder';
import { useKeys } from './keys';
import { Ledger } from './Ledger';
import { Legend } from './Legend';
import { LightBar } from './LightBar';
import { Overlays } from './Overlays';
import { Scene } from './scene';
import { ToolBar } from './ToolBar';
import { TopBar } from './TopBar';
import { Working } from './Working';

/** One open study: the part fills the window, everything else floats at its edges. */
export function Workspace({ id }: { id: string }) {
  const host = useRef<HTMLDivElement>(null);
  const [viewport, setViewport] = useState<Viewport | null>(null);
  const scheme = useComputedColorScheme('light');
  const wantedPanels = useView((s) => s.panels);
  const drawing = useTools((s) => s.stage === 'curves' || s.stage === 'plan');
  const seams = useStudy((s) => s.shown.seams.length > 0);
  // While curves are drawn and no seam is there yet, the ledger leaves its room to the part.
  const ledger = wantedPanels.ledger && (seams || !drawing);
  const carded = useTools((s) => `${s.draft?.id ?? ''} ${s.selection?.id ?? ''} ${s.tool ?? ''}`);
  const panels = useMemo(() => ({ ...wantedPanels, ledger }), [wantedPanels, ledger]);
  const lost = useStudy((s) => s.study !== null && !s.connected);
  const showBefore = useStudy((s) => s.showBefore);
  const gone = useStudy((s) => s.gone);

  useEffect(() => openStudy(id), [id]);
  useEffect(() => {
    if (!host.current) return;
    const made = new Viewport(host.current);
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
    if (!viewport) return;
    viewport.setGround(PALETTES[scheme].ground);
    const { innerWidth: w, innerHeight: h } = window;
    viewport.free = {
      left: (panels.build ? 240 : 12) / w,
      right: (panels.card ? 270 : 60) / w,
      top: 120 / h,
      bottom: (panels.ledger ? 250 : 70) / h,
    };
  }, [viewport, scheme, panels]);
  useKeys(viewport);

  return (
    <div className={`workspace ${panels.ledger ? 'with-ledger' : 'without-ledger'}`}>
      <div className="part" ref={host} role="application" aria-label="The part" />
      {viewport && <Scene viewport={viewport} palette={PALETTES[scheme]} />}
      {viewport && <Overlays viewport={viewport} />}
      <TopBar />
      <ToolBar />
      {panels.build && <BuildPanel />}
      {panels.card && (
        <Fence what="This card" about={carded}>
          <Card />
        </Fence>
      )}
      <Legend />
      <LightBar viewport={viewport} />
      {panels.ledger && <Ledger viewport={viewport} />}
      <Finder viewport={viewport} />
      <Working />
      {gone && (
        <div className="paper gone" role="alert">
          <p>{gone}</p>
          <Button size="xs" onClick={goToList}>
            All studies
          </Button>
        </div>
      )}
      {showBefore && <div className="paper before-flag">Before the last change</div>}
      {lost && (
        <div className="paper unlinked" role="alert">
          The server cannot be reached. What was stored is safe; trying again…
        </div>
      )}
    </div>
  );
}
