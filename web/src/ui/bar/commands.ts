import type { ViewName } from '../../scene/camera';
import { lookSquarely } from '../../scene/trueView';
import type { Viewport } from '../../scene/viewport';
import { deleteHere, isolate, letGo, redo, release, selectedFeature, setFlags, setLight, setStage, startTool, toggleCvs, undo } from '../../state/actions';
import { useCatalog } from '../../state/catalog';
import { compareWith, endCompare, keepMoment, useCompare } from '../../state/compare';
import { COMBS, type Stage } from '../../state/tools';
import { toggleCatching, togglePanels, useView } from '../../state/view';

export interface Command {
  label: string;
  /** What it does, in one line. */
  about?: string;
  /** Whether a key can be given to it though it comes without one. */
  settable?: boolean;
  keys?: string;
  stage?: Stage;
  run(): void;
}

export const STAGES: [Stage, string][] = [
  ['plan', 'Plan'],
  ['curves', 'Curves'],
  ['primaries', 'Primaries'],
  ['blends', 'Blends'],
  ['corners', 'Corners'],
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
export const openers: Partial<Record<'export' | 'importStep' | 'importMesh' | 'importPicture' | 'find' | 'remove' | 'keys', () => void>> = {};

const onFeature = (run: (id: string) => void) => () => {
  const feature = selectedFeature();
  if (feature) run(feature.id);
};

/** Everything that can be found by typing or reached by a key. */
export function commands(viewport: Viewport | null): Command[] {
  return [
    { label: 'Comb on edges', about: 'Curvature as teeth along lines', keys: 'M', stage: 'check', run: () => startTool(COMBS) },
    { label: 'Show or hide CVs', about: 'Of the picked face or curve', keys: 'C', stage: 'primaries', run: onFeature(toggleCvs) },
    { label: 'Clay', about: 'The part as it is modelled', keys: '1', run: () => setLight('clay') },
    { label: 'Zebra', about: 'Stripes of light: kinks show as breaks', keys: '2', run: () => setLight('zebra') },
    { label: 'Curvature colours', about: 'Curvature of the surfaces in colours', keys: '3', run: () => setLight('curvature') },
    { label: 'Light lines', about: 'Lines of a bank of lights as curves on the surfaces, with their kinks at seams', keys: '4', run: () => setLight('lines') },
    { label: 'Wipe against the state before', about: 'A line parts the part as it is from the part before the last change; again ends it', keys: 'W', run: () => void (useCompare.getState().mode === 'off' ? compareWith(null, 'wipe') : endCompare()) },
    { label: 'Keep this state to compare with', about: 'As long as the window is open', settable: true, run: () => void keepMoment() },
    { label: 'Fit to window', about: 'All that is shown, as large as it goes', keys: 'F', run: () => viewport?.fit() },
    ...VIEWS.map(([name, label, keys]) => ({ label: `${label} view`, keys, run: () => viewport?.look(name) })),
    { label: 'Look squarely at what is picked', keys: 'V', run: () => viewport && lookSquarely(viewport) },
    { label: 'Catch what is near, or nothing', about: 'Points that are placed or moved catch ends, CVs and lines, and follow them; Alt turns it round', keys: 'N', run: toggleCatching },
    { label: 'Release what is picked', about: 'Picked CVs or points no longer follow what they hang on', keys: 'U', run: release },
    { label: 'Undo', keys: 'Ctrl+Z', run: () => void undo() },
    { label: 'Redo', keys: 'Ctrl+Shift+Z', run: () => void redo() },
    {
      label: 'Hide or show selected', about: 'Hidden things stay in the build',
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
      label: 'Switch selected on or off', about: 'The build goes on without a step that is off',
      keys: 'O',
      run: () => {
        const f = selectedFeature();
        if (f) void setFlags(f.id, { on: !f.on });
      },
    },
    { label: 'Delete selected', keys: 'Delete', run: () => void (deleteHere() || openers.remove?.()) },
    { label: 'Fold all panels away', about: 'The part alone; again brings them back', keys: 'G', run: togglePanels },
    { label: 'Panels on the other side', about: 'The build to the right, the card to the left', settable: true, run: () => useView.setState((v) => ({ swapped: !v.swapped })) },
    { label: 'Keys', about: 'All keys; each can be changed or switched off', keys: '?', run: () => openers.keys?.() },
    {
      label: 'Fold the ledger',
      keys: 'L',
      run: () => useView.setState((v) => ({ panels: { ...v.panels, ledger: !v.panels.ledger } })),
    },
    { label: 'Export', about: 'The part as a STEP file, the study as its own file', keys: 'Ctrl+E', stage: 'handover', run: () => openers.export?.() },
    { label: 'Reference picture', about: 'A drawing or photo to draw over', stage: 'plan', run: () => openers.importPicture?.() },
    { label: 'Show or hide reference pictures', keys: 'P', run: () => useView.setState((v) => ({ pictures: !v.pictures })) },
    { label: 'Reference mesh', about: 'A scan to draw over', stage: 'plan', run: () => openers.importMesh?.() },
    { label: 'Import STEP', about: 'Faces and curves of a file', stage: 'handover', run: () => openers.importStep?.() },
    ...[...useCatalog.getState().tools.values()]
      .filter((t) => t.stage !== null)
      .map((t) => ({ label: t.label, about: t.ask, settable: true, stage: t.stage as Stage, run: () => startTool(t.kind), ...(t.key ? { keys: t.key } : {}) })),
    ...STAGES.map(([stage, label]) => ({ label: `Stage: ${label}`, run: () => setStage(stage) })),
    { label: 'Let go of the tool', keys: 'Esc', run: () => letGo(true) },
  ];
}
