import { Button } from '@mantine/core';

import type { FeatureSummary, Params, Role } from '../../api/types';
import { toolOf } from '../../state/catalog';
import { activeGroup, freeName, newId } from '../../state/drafts';
import { commit } from '../../state/session';
import { useStudy } from '../../state/study';

interface Remedy {
  kind: string;
  name: string;
  label: string;
  params: Params;
}

/** Steps that would mend what a step has to work with; a click puts one in before it. */
export function Remedies({ id, facts }: { id: string; facts: Params | undefined }) {
  const remedies = (facts?.remedies as Remedy[] | undefined) ?? [];
  if (!remedies.length) return null;
  const put = ({ kind, name, params }: Remedy) => {
    const group = activeGroup();
    const role = group?.role ?? ((toolOf(kind)?.role ?? 'primary') as Role);
    const feature: FeatureSummary = { id: newId(), kind, name: freeName(name), role, on: true, hidden: false, locked: false, group: group?.id ?? null, params };
    const before = useStudy.getState().study?.features.findIndex((f) => f.id === id) ?? -1;
    void commit({ op: 'add_features', features: [feature], at: before < 0 ? null : [before] });
  };
  return (
    <div className="remedies" role="group" aria-label="What would mend it">
      {remedies.map((r) => (
        <Button key={r.label} size="xs" variant="light" fullWidth onClick={() => put(r)}>
          {r.label}
        </Button>
      ))}
    </div>
  );
}
