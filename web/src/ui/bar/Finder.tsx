import { Spotlight, spotlight, type SpotlightActionData, type SpotlightActionGroupData } from '@mantine/spotlight';
import { useEffect, useState } from 'react';
import { flushSync } from 'react-dom';

import type { Viewport } from '../../scene/viewport';
import { toolOf } from '../../state/catalog';
import { keyOf } from '../../state/keymap';
import { featureName, useStudy } from '../../state/study';
import { select } from '../../state/tools';
import { edgeWords, seamNames } from '../../state/words';
import { formatted } from '../figures';
import { openSeam } from '../ledger/openSeam';
import { commands, openers } from './commands';

const LABEL = 'Find a tool or command';

/** Lines of one kind that are listed at most. */
const MOST = 12;

/** Everything by typing: tools, commands, views and lights, steps and objects, lines, seams. */
export function Finder({ viewport }: { viewport: Viewport | null }) {
  const [groups, setGroups] = useState<SpotlightActionGroupData[]>([]);
  useEffect(() => {
    openers.find = () => {
      // At once, with the keys: what is typed next is meant for it.
      flushSync(() => {
        setGroups(everything(viewport));
        spotlight.open();
      });
      document.querySelector<HTMLInputElement>(`input[aria-label="${LABEL}"]`)?.focus();
    };
    return () => void delete openers.find;
  }, [viewport]);
  return (
    <Spotlight
      actions={groups}
      filter={matching}
      shortcut={null}
      limit={40}
      transitionProps={{ duration: 0 }}
      overlayProps={{ backgroundOpacity: 0.2, blur: 0 }}
      scrollable
      maxHeight={420}
      nothingFound="Nothing of that name."
      searchProps={{ placeholder: 'What do you want to do, or to find?', 'aria-label': LABEL }}
    />
  );
}

/** How well a line fits words: its name is them (-1), begins with them, holds them, or its description does; 3 for not at all. */
function fit(a: SpotlightActionData, words: readonly string[]): number {
  const name = (a.label ?? '').toLowerCase();
  if (name === words.join(' ')) return -1;
  if (words.every((w) => name.includes(w))) return name.startsWith(words[0] ?? '') ? 0 : 1;
  const text = `${name} ${a.description ?? ''} ${String(a.keywords ?? '')}`.toLowerCase();
  return words.every((w) => text.includes(w)) ? 2 : 3;
}

/** What holds all words that were typed; what fits best stands first. */
function matching(query: string, actions: (SpotlightActionData | SpotlightActionGroupData)[]): SpotlightActionGroupData[] {
  const words = query.toLowerCase().split(/\s+/).filter(Boolean);
  const found = actions.flatMap((group) => {
    if (!('actions' in group)) return [];
    const fitting = group.actions.map((a) => ({ a, rank: fit(a, words) })).filter(({ rank }) => rank < 3);
    fitting.sort((x, y) => x.rank - y.rank);
    return fitting.length ? [{ group, rank: fitting[0]?.rank ?? 3, actions: fitting.slice(0, words.length ? MOST : 60).map(({ a }) => a) }] : [];
  });
  return found.sort((x, y) => x.rank - y.rank).map(({ group, actions: kept }) => ({ ...group, actions: kept }));
}

function everything(viewport: Viewport | null): SpotlightActionGroupData[] {
  const { study, kept } = useStudy.getState();
  const seams = seamNames(kept.seams);
  const lines = [...kept.shapes.values()].flatMap((s) => (s.object.kind === 'face' ? s.edges.map((e) => ({ id: s.id, edge: e.name })) : []));
  const groups: SpotlightActionGroupData[] = [
    {
      group: 'Tools and commands',
      actions: commands(viewport).map((c) => ({
        id: c.label,
        label: c.label,
        description: c.about,
        keywords: c.stage,
        rightSection: keyOf(c) ? <kbd className="quiet">{keyOf(c)}</kbd> : undefined,
        onClick: () => setTimeout(c.run, 0),
      })),
    },
    {
      group: 'Steps and objects',
      actions: [
        ...(study?.features ?? []).map((f) => ({ id: `step ${f.id}`, label: f.name, description: toolOf(f.kind)?.label, onClick: () => select({ kind: 'feature', id: f.id }) })),
        ...[...kept.shapes.keys()].filter((id) => id.includes('/')).map((id) => ({ id: `object ${id}`, label: featureName(id), onClick: () => select({ kind: 'feature', id }) })),
      ],
    },
    {
      group: 'Seams',
      actions: kept.seams.map((s) => ({
        id: `seam ${s.key}`,
        label: seams.get(s.key) ?? s.name,
        description: `G${s.target} ${s.stale ? 'on a last good shape' : s.state}: ${formatted('gap', s.gap.max)}, ${formatted('angle', s.angle.max)}, ${formatted('curvature', s.curvature.max)}`,
        keywords: 'seam',
        onClick: () => openSeam(s, viewport),
      })),
    },
    {
      group: 'Edges',
      actions: lines.map(({ id, edge }) => ({
        id: `edge ${id} ${edge}`,
        label: edgeWords(id, edge),
        keywords: 'edge',
        onClick: () => select({ kind: 'edge', id, edge }),
      })),
    },
  ];
  return groups.filter((g) => g.actions.length);
}
