import { ActionIcon, TextInput } from '@mantine/core';
import { IconPlus, IconX } from '@tabler/icons-react';
import { useState } from 'react';

import { commit } from '../../state/session';
import { useStudy } from '../../state/study';
import { ExpressionField } from '../card/ExpressionField';
import { small } from '../figures';

const NAME = /^[A-Za-z_][A-Za-z0-9_]{0,39}$/;

const set = (name: string, value: string | null) => void commit({ op: 'set_dimension', name, value });

/** Named dimensions: any number of a step may be written with them. */
export function Dimensions() {
  const dimensions = useStudy((s) => s.study?.dimensions) ?? [];
  const [name, setName] = useState<string | null>(null);
  const good = name !== null && NAME.test(name) && !dimensions.some((d) => d.name === name);
  const add = () => {
    if (good) set(name, '10');
    setName(null);
  };
  return (
    <section aria-label="Dimensions" className="dimensions">
      <h3>
        <span>Dimensions</span>
        <ActionIcon size="xs" variant="subtle" color="gray" aria-label="New dimension" onClick={() => setName('')}>
          <IconPlus size={14} />
        </ActionIcon>
      </h3>
      {dimensions.map((d) => (
        <div className="line" key={d.name}>
          <span className="name" title={`${d.name} = ${small(d.value)}`}>
            {d.name}
          </span>
          <ExpressionField label={`Dimension ${d.name}`} width={82} value={/^[-\d.]+$/.test(d.written) ? Number(d.written) : d.written} onChange={(v) => v !== null && set(d.name, String(v).replace(/^=/, ''))} />
          <ActionIcon size="xs" variant="subtle" color="gray" aria-label={`Remove ${d.name}`} onClick={() => set(d.name, null)}>
            <IconX size={13} />
          </ActionIcon>
        </div>
      ))}
      {name !== null && (
        <TextInput
          size="xs"
          mx={14}
          autoFocus
          aria-label="Name of the new dimension"
          placeholder="a name, as width"
          value={name}
          error={name !== '' && !good}
          onChange={(e) => setName(e.currentTarget.value)}
          onBlur={add}
          onKeyDown={(e) => {
            e.stopPropagation();
            if (e.key === 'Enter') add();
            if (e.key === 'Escape') setName(null);
          }}
        />
      )}
    </section>
  );
}
