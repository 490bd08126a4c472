import type { ViewName } from '../scene/camera';
import { lookSquarely } from '../scene/trueView';
import type { Viewport } from '../scene/viewport';
import { isolate, redo, selectedFeature, setFlags, setLight, setStage, startTool, toggleCvs, undo } from '../state/actions';
import { useCatalog } from '../state/catalog';
import { useTools, type Stage } from '../state/tools';
import { togglePanels, useView } from '../state/view';

export interface Command {
  label: string;
  keys?: string;
  stage?: Stage;
  run(): void;
}

export const STAGES: [Stage, string][] = [
  ['plan', 'Plan'],
  ['curves', 'Curves'],
  ['primaries', 'Primaries'],
  ['blends', 'Blends'],
  ['check', 'Check'],
  ['handover', 'Hand over'],
];

export const VIEWS: [ViewName, string, string][] = [
  ['three-quarter', 'Three-quarter', '0'],
  ['front', 'Front', 'Shift+F'],
  ['back', 'Back', 'Shift+K'],
  ['left', 'Left', 'Shift+L'],
  ['right', 'Right', 'Shift+R'],
  ['top', 'Top', 'Shift+T'],
  ['bottom', 'Bottom', 'Shift+U'],
];

/** Opens a file chooser or a dialog that lives in another component. */
export const openers: Partial<Record<'export' | 'importStep' | 'importMesh' | 'importPicture' | 'find' | 'remove', () => void>> = {};

const onFeature = (run: (id: string) => void) => () => {
  const feature = selectedFeature();
  if (feature) run(feature.id);
};

/** Everything that can be found by typing or reached by a key. */
export function commands(viewport: Viewport | null): Command[] {
  return [
    { label: 'Edge blend', keys: 'B', stage: 'blends', run: () => startTool('edge_blend') },
    { label: 'Comb on edges', keys: 'M', stage: 'check', run: () => startTool('comb') },
    { label: 'Show or hide CVs', keys: 'C', stage: 'primaries', run: onFeature(toggleCvs) },
    { label: 'Clay', keys: '1', run: () => setLight('clay') },
    { label: 'Zebra', keys: '2', run: () => setLight('zebra') },
    { label: 'Curvature colours', keys: '3', run: () => setLight('curvature') },
    { label: 'Fit to window', keys: 'F', run: () => viewport?.fit() },
    ...VIEWS.map(([name, label, keys]) => ({ label: `${label} view`, keys, run: () => viewport?.look(name) })),
    { label: 'Look squarely at what is picked', keys: 'V', run: () => viewport && lookSquarely(viewport) },
    { label: 'Undo', keys: 'Ctrl+Z', run: () => void undo() },
    { label: 'Redo', keys: 'Ctrl+Shift+Z', run: () => void redo() },
    {
      label: 'Hide or show selected',
      keys: 'H',
      run: () => {
        const f = selectedFeature();
        if (f) void setFlags(f.id, { hidden: !f.hidden });
      },
    },
    {
      label: 'Isolate selected, or end isolation',
      keys: 'I',
      run: () => {
        const f = selectedFeature();
        isolate(useView.getState().isolated || !f ? null : [f.id]);
      },
    },
    {
      label: 'Switch selected on or off',
      keys: 'O',
      run: () => {
        const f = selectedFeature();
        if (f) void setFlags(f.id, { on: !f.on });
      },
    },
    { label: 'Delete selected', keys: 'Delete', run: () => openers.remove?.() },
    { label: 'Fold all panels away', keys: 'Tab', run: togglePanels },
    {
      label: 'Fold the ledger',
      keys: 'L',
      run: () => useView.setState((v) => ({ panels: { ...v.panels, ledger: !v.panels.ledger } })),
    },
    { label: 'Export', keys: 'Ctrl+E', stage: 'handover', run: () => openers.export?.() },
    { label: 'Reference picture', stage: 'plan', run: () => openers.importPicture?.() },
    { label: 'Show or hide reference pictures', keys: 'P', run: () => useView.setState((v) => ({ pictures: !v.pictures })) },
    { label: 'Reference mesh', stage: 'plan', run: () => openers.importMesh?.() },
    { label: 'Import STEP', stage: 'handover', run: () => openers.importStep?.() },
    ...[...useCatalog.getState().tools.values()]
      .filter((t) => t.stage !== null && t.kind !== 'edge_blend')
      .map((t) => ({ label: t.label, stage: t.stage as Stage, run: () => startTool(t.kind), ...(t.kind === 'cv_curve' ? { keys: 'D' } : {}) })),
    ...STAGES.map(([stage, label]) => ({ label: `Stage: ${label}`, run: () => setStage(stage) })),
    { label: 'Let go of the tool', keys: 'Esc', run: () => useTools.setState({ tool: null, picks: [] }) },
  ];
}
