import { ActionIcon, Menu, TextInput } from '@mantine/core';
import { IconDots, IconEye, IconEyeOff, IconPlus } from '@tabler/icons-react';
import { useState, type ReactNode } from 'react';

import type { FeatureSummary, Group, StudySummary } from '../../api/types';
import { addGroup, setGroups, showGroup } from '../../state/actions';
import { ROLES } from './roles';

/** Named groups with their steps. The active one receives what is made and gives it its role. */
export function Groups({ study, line }: { study: StudySummary | null; line(f: FeatureSummary): ReactNode }) {
  const [naming, setNaming] = useState<string | null>(null);
  if (!study) return null;
  const name = (text: string) => {
    if (text.trim()) addGroup(text.trim());
    setNaming(null);
  };
  return (
    <>
      <h3>
        <span>Groups</span>
        <ActionIcon size="xs" variant="subtle" color="gray" aria-label="New group" onClick={() => setNaming('')}>
          <IconPlus size={14} />
        </ActionIcon>
      </h3>
      {naming !== null && <NameField label="Name of the new group" start="" done={name} />}
      {study.groups.map((g) => (
        <section key={g.id} aria-label={`Group ${g.name}`}>
          <Head group={g} active={g.id === study.active_group} inside={study.features.filter((f) => f.group === g.id)} />
          <div role="list">{study.features.filter((f) => f.group === g.id).map(line)}</div>
        </section>
      ))}
    </>
  );
}

function Head({ group, active, inside }: { group: Group; active: boolean; inside: FeatureSummary[] }) {
  const [renaming, setRenaming] = useState(false);
  const hidden = inside.length > 0 && inside.every((f) => f.hidden);
  const change = (changes: Partial<Group>) => setGroups((groups) => groups.map((g) => (g.id === group.id ? { ...g, ...changes } : g)));
  if (renaming)
    return (
      <NameField
        label={`New name of ${group.name}`}
        start={group.name}
        done={(text) => {
          setRenaming(false);
          if (text.trim() && text.trim() !== group.name) change({ name: text.trim() });
        }}
      />
    );
  return (
    <div className="line group">
      <button
        className="active-mark"
        role="radio"
        aria-checked={active}
        aria-label={`New steps go into ${group.name}`}
        title={active ? 'New steps go here' : 'Let new steps go here'}
        onClick={() => setGroups((g) => g, active ? null : group.id)}
      />
      <span className="name" title={group.name}>
        {group.name}
      </span>
      <span className="quiet">{group.role}</span>
      <ActionIcon variant="subtle" color="gray" size="sm" disabled={!inside.length} aria-label={`${hidden ? 'Show' : 'Hide'} all of ${group.name}`} onClick={() => showGroup(group.id, !hidden)}>
        {hidden ? <IconEyeOff size={15} /> : <IconEye size={15} />}
      </ActionIcon>
      <Menu position="bottom-start" width={190}>
        <Menu.Target>
          <ActionIcon variant="subtle" color="gray" size="sm" aria-label={`More for group ${group.name}`}>
            <IconDots size={15} />
          </ActionIcon>
        </Menu.Target>
        <Menu.Dropdown>
          <Menu.Item onClick={() => setRenaming(true)}>Rename</Menu.Item>
          <Menu.Label>Role of what lands here</Menu.Label>
          {ROLES.map(([role, title]) => (
            <Menu.Item key={role} disabled={role === group.role} onClick={() => change({ role })}>
              {title}
            </Menu.Item>
          ))}
          <Menu.Divider />
          <Menu.Item onClick={() => setGroups((groups) => groups.filter((g) => g.id !== group.id))}>Dissolve the group</Menu.Item>
        </Menu.Dropdown>
      </Menu>
    </div>
  );
}

function NameField({ label, start, done }: { label: string; start: string; done(text: string): void }) {
  const [text, setText] = useState(start);
  return (
    <TextInput
      size="xs"
      mx={14}
      my={4}
      autoFocus
      maxLength={120}
      aria-label={label}
      value={text}
      onChange={(e) => setText(e.currentTarget.value)}
      onBlur={() => done(text)}
      onKeyDown={(e) => {
        e.stopPropagation();
        if (e.key === 'Enter') e.currentTarget.blur();
        if (e.key === 'Escape') done(start);
      }}
    />
  );
}
