import { SegmentedControl, Select, Slider, Switch } from '@mantine/core';

import type { Point } from '../../api/types';
import { refreshLights } from '../../state/session';
import { eye, useView, type LightLineSettings as Settings } from '../../state/view';
import { NumberField } from '../card/NumberField';
import { Row } from './Row';

const KINDS = [
  { value: 'highlight', label: 'Highlight lines' },
  { value: 'reflection', label: 'Reflection lines' },
  { value: 'isophote', label: 'Isophotes' },
];

const AXES: Record<string, Point> = { X: [1, 0, 0], Y: [0, 1, 0], Z: [0, 0, 1] };

const axisOf = (toward: Point): string => Object.entries(AXES).find(([, a]) => a.every((x, i) => x === toward[i]))?.[0] ?? 'view';

/** What kind of lines, where the lights stand, how they run and how far apart. */
export function LightLineSettings() {
  const lines = useView((s) => s.lines);
  const set = (changes: Partial<Settings>) => {
    useView.setState((v) => ({ lines: { ...v.lines, ...changes } }));
    refreshLights();
  };
  const isophote = lines.kind === 'isophote';
  return (
    <>
      <Select
        size="xs"
        mb={8}
        aria-label="Kind of light lines"
        data={KINDS}
        value={lines.kind}
        allowDeselect={false}
        comboboxProps={{ withinPortal: false }}
        onChange={(kind) => kind && set({ kind: kind as Settings['kind'], eye: eye.direction(), fitted: true })}
      />
      <Row label={isophote ? 'Light comes from' : 'Lights stand in'}>
        <SegmentedControl
          size="xs"
          aria-label="Lights stand in"
          data={['X', 'Y', 'Z', 'view']}
          value={axisOf(lines.toward)}
          onChange={(axis) => set({ toward: AXES[axis] ?? eye.direction(), fitted: true })}
        />
      </Row>
      {!isophote && (
        <Row label={`Turned by ${lines.turn}°`}>
          <Slider w={120} size="xs" min={0} max={175} step={5} label={null} thumbLabel="Turned by" value={lines.turn} onChange={(turn) => useView.setState({ lines: { ...lines, turn } })} onChangeEnd={refreshLights} />
        </Row>
      )}
      {lines.kind === 'reflection' && (
        <Row label="Seen from">
          <button className="chip" onClick={() => set({ eye: eye.direction() })}>
            the view as it is now
          </button>
        </Row>
      )}
      <Row label="Fitted to the part">
        <Switch size="xs" aria-label="Lights fitted to the part" checked={lines.fitted} onChange={(e) => set({ fitted: e.currentTarget.checked })} />
      </Row>
      <Row label={isophote ? 'Every' : 'Apart'}>
        <NumberField label="Lights apart" width={100} unit={isophote ? '°' : 'mm'} low={1e-3} high={1e6} value={lines.spacing} onChange={(spacing) => set({ spacing, fitted: false })} />
      </Row>
      {!isophote && (
        <Row label="Height">
          <NumberField label="Height of the lights" width={100} digits={0} unit="mm" low={-1e7} high={1e7} value={lines.height} onChange={(height) => set({ height, fitted: false })} />
        </Row>
      )}
    </>
  );
}
