import { ActionIcon, Button, TextInput, Tooltip, useComputedColorScheme, useMantineColorScheme } from '@mantine/core';
import { IconArrowBackUp, IconArrowForwardUp, IconMoon, IconSun } from '@tabler/icons-react';
import { useState, useSyncExternalStore } from 'react';

import { goToList, studyInAddress, watchAddress } from '../../address';
import { redo, setStage, undo } from '../../state/actions';
import { commit } from '../../state/session';
import { useStudy } from '../../state/study';
import { stepped } from '../../state/hand';
import { useTools } from '../../state/tools';
import { useWho } from '../people/who';
import { openers, STAGES } from './commands';

export function Logo() {
  return (
    <a
      className="logo"
      href="/"
      aria-label="Pamble, all studies"
      onClick={(e) => {
        e.preventDefault();
        goToList();
      }}
    >
      pam<b>b</b>le
    </a>
  );
}

export function TopBar() {
  const { study, version, canUndo, canRedo, connected, busy } = useStudy();
  const stage = useTools((s) => s.stage);
  const hand = useTools((s) => s.hand);
  const looks = useWho(useSyncExternalStore(watchAddress, studyInAddress)).data?.role === 'look';
  const { setColorScheme } = useMantineColorScheme();
  const scheme = useComputedColorScheme('light');

  return (
    <header className="paper topbar">
      <Logo />
      <div className="study-name">
        {study && <StudyName name={study.name} />}
        <span className="quiet">{!study ? '' : !connected ? 'not connected' : busy ? 'storing…' : `step ${version} · stored`}</span>
      </div>
      {looks && <span className="chip looks">look only</span>}
      <nav className="stages" aria-label="Stages">
        {STAGES.map(([id, label]) => (
          <button key={id} aria-pressed={stage === id} onClick={() => setStage(id)}>
            {label}
          </button>
        ))}
      </nav>
      <div className="end">
        <Tooltip label="Undo (Ctrl+Z)">
          <ActionIcon variant="subtle" aria-label="Undo" disabled={hand.at !== 'step' && !canUndo} onClick={() => void undo()}>
            <IconArrowBackUp size={18} />
          </ActionIcon>
        </Tooltip>
        <Tooltip label="Redo (Ctrl+Shift+Z)">
          <ActionIcon variant="subtle" aria-label="Redo" disabled={hand.at === 'step' ? !stepped(hand, 'redo') : !canRedo} onClick={() => void redo()}>
            <IconArrowForwardUp size={18} />
          </ActionIcon>
        </Tooltip>
        <Tooltip label={scheme === 'light' ? 'Dark theme' : 'Light theme'}>
          <ActionIcon
            variant="subtle"
            aria-label={scheme === 'light' ? 'Dark theme' : 'Light theme'}
            onClick={() => setColorScheme(scheme === 'light' ? 'dark' : 'light')}
          >
            {scheme === 'light' ? <IconMoon size={17} /> : <IconSun size={17} />}
          </ActionIcon>
        </Tooltip>
        <Button size="xs" variant="default" className="find" onClick={() => openers.find?.()}>
          Find<kbd>/</kbd>
        </Button>
      </div>
    </header>
  );
}

function StudyName({ name }: { name: string }) {
  const [text, setText] = useState<string | null>(null);
  if (text === null)
    return (
      <span className="title" role="button" tabIndex={0} title="Rename the study" onClick={() => setText(name)} onKeyDown={(e) => e.key === 'Enter' && setText(name)}>
        {name}
      </span>
    );
  const done = () => {
    setText(null);
    if (text.trim() && text !== name) void commit({ op: 'set_study', name: text.trim() });
  };
  return (
    <TextInput
      aria-label="Name of the study"
      size="xs"
      w="100%"
      autoFocus
      value={text}
      maxLength={120}
      onChange={(e) => setText(e.currentTarget.value)}
      onBlur={done}
      onKeyDown={(e) => {
        e.stopPropagation();
        if (e.key === 'Enter') done();
        if (e.key === 'Escape') setText(null);
      }}
    />
  );
}
