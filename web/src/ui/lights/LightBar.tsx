import { ActionIcon, SegmentedControl, Select, Slider, Switch } from '@mantine/core';
import { IconAdjustmentsHorizontal } from '@tabler/icons-react';

import type { Viewport } from '../../scene/viewport';
import { setLight } from '../../state/actions';
import { refreshCombs } from '../../state/session';
import { useView, type CurvatureKind, type Light } from '../../state/view';
import { NumberField } from '../card/NumberField';
import { Settings } from '../Settings';
import { CompareMenu } from './CompareMenu';
import { LightLineSettings } from './LightLineSettings';
import { Row } from './Row';
import { ViewButtons } from './ViewButtons';

const LIGHTS: [Light, string, string][] = [
  ['clay', 'Clay', '1'],
  ['zebra', 'Zebra', '2'],
  ['curvature', 'Curvature', '3'],
  ['lines', 'Light lines', '4'],
];

/** Light is a switch: one key each, also in the middle of a drag. */
export function LightBar({ viewport }: { viewport: Viewport | null }) {
  const light = useView((s) => s.light);
  const combs = useView((s) => s.combEdges.length);
  return (
    <div className="paper lights" role="toolbar" aria-label="Light">
      {LIGHTS.map(([id, label, key]) => (
        <button key={id} className="light" aria-keyshortcuts={key} aria-pressed={light === id} onClick={() => setLight(id)}>
          {label}
          <kbd aria-hidden="true">{key}</kbd>
        </button>
      ))}
      <Settings
        at="top"
        width={264}
        button={(toggle) => (
          <ActionIcon variant="subtle" radius="xl" aria-label="Settings of the light" onClick={toggle}>
            <IconAdjustmentsHorizontal size={17} />
          </ActionIcon>
        )}
      >
        {light === 'zebra' && <ZebraSettings />}
        {light === 'curvature' && <CurvatureSettings />}
        {light === 'lines' && <LightLineSettings />}
        {light === 'clay' && !combs && <span className="quiet">Clay has no settings. Pick zebra, curvature, light lines or a comb.</span>}
        {combs > 0 && <CombSettings />}
      </Settings>
      <CompareMenu />
      {viewport && <ViewButtons viewport={viewport} />}
    </div>
  );
}

function ZebraSettings() {
  const zebra = useView((s) => s.zebra);
  const set = (changes: Partial<typeof zebra>) => useView.setState({ zebra: { ...zebra, ...changes } });
  return (
    <>
      <Row label="Stripes stay with the">
        <SegmentedControl
          size="xs"
          aria-label="Stripes stay with the"
          data={['viewer', 'part']}
          value={zebra.fixedTo}
          onChange={(v) => set({ fixedTo: v as 'part' | 'viewer' })}
        />
      </Row>
      <Row label="Stripes over a half turn">
        <Slider w={120} size="xs" min={4} max={48} step={1} label={null} thumbLabel="Stripes" value={zebra.bands} onChange={(bands) => set({ bands })} />
      </Row>
      <Row label={`Direction ${zebra.direction}°`}>
        <Slider w={120} size="xs" min={0} max={180} step={5} label={null} thumbLabel="Direction" value={zebra.direction} onChange={(direction) => set({ direction })} />
      </Row>
    </>
  );
}

export const KIND_WORDS: Record<CurvatureKind, [label: string, unit: string]> = {
  gauss: ['Gauss curvature', '1/mm²'],
  mean: ['Mean curvature', '1/mm'],
  largest: ['Largest curvature', '1/mm'],
  smallest: ['Smallest curvature', '1/mm'],
  radius: ['Least radius', 'mm'],
};

function CurvatureSettings() {
  const curvature = useView((s) => s.curvature);
  const set = (changes: Partial<typeof curvature>) => useView.setState({ curvature: { ...curvature, ...changes } });
  const digits = curvature.kind === 'radius' ? 1 : 6;
  return (
    <>
      <Select
        size="xs"
        mb={8}
        aria-label="Kind of curvature"
        data={Object.entries(KIND_WORDS).map(([value, [label]]) => ({ value, label }))}
        value={curvature.kind}
        allowDeselect={false}
        comboboxProps={{ withinPortal: false }}
        onChange={(kind) => kind && set({ kind: kind as CurvatureKind, fitted: true })}
      />
      <Row label="Range fitted to the part">
        <Switch size="xs" aria-label="Range fitted to the part" checked={curvature.fitted} onChange={(e) => set({ fitted: e.currentTarget.checked })} />
      </Row>
      <Row label="From">
        <NumberField label="Range from" width={120} digits={digits} value={curvature.low} unit={KIND_WORDS[curvature.kind][1]} onChange={(low) => set({ low, fitted: false })} />
      </Row>
      <Row label="To">
        <NumberField label="Range to" width={120} digits={digits} value={curvature.high} unit={KIND_WORDS[curvature.kind][1]} onChange={(high) => set({ high, fitted: false })} />
      </Row>
    </>
  );
}

function CombSettings() {
  const comb = useView((s) => s.comb);
  const set = (changes: Partial<typeof comb>) => useView.setState({ comb: { ...comb, ...changes } });
  return (
    <>
      <Row label={`Comb: ${comb.teeth} teeth`}>
        <Slider
          w={120}
          size="xs"
          min={10}
          max={240}
          step={5}
          label={null}
          thumbLabel="Teeth"
          value={comb.teeth}
          onChange={(teeth) => set({ teeth })}
          onChangeEnd={refreshCombs}
        />
      </Row>
      <Row label="Scale fitted to the part">
        <Switch
          size="xs"
          aria-label="Scale fitted to the part"
          checked={comb.fitted}
          onChange={(e) => {
            set({ fitted: e.currentTarget.checked });
            refreshCombs();
          }}
        />
      </Row>
      <Row label="Length at 1/100 mm">
        <NumberField label="Comb scale" width={90} digits={1} unit="mm" low={0.1} high={100000} value={comb.scale} onChange={(scale) => set({ scale, fitted: false })} />
      </Row>
    </>
  );
}
