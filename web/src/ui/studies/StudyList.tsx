import { ActionIcon, Button, Menu, TextInput } from '@mantine/core';
import { IconTrash, IconUsers } from '@tabler/icons-react';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useRef, useState } from 'react';

import { goToStudy } from '../../address';
import { createStudy, deleteStudy, listDemos, listStudies, listTools, thumbnailAddress } from '../../api/rest';
import type { StudyLine } from '../../api/types';
import { beginWith, type Beginning } from '../../state/beginnings';
import { importStudy } from '../../state/files';
import { tell } from '../../state/session';
import { Stopped } from '../../state/work';
import { Logo } from '../bar/TopBar';
import { Working } from '../bar/Working';
import { Sharing } from '../people/Sharing';
import { SignedIn } from '../people/SignedIn';
import { useWho } from '../people/who';

const when = (text: string) => new Date(text).toLocaleString(undefined, { dateStyle: 'medium', timeStyle: 'short' });

/** All studies, and the ways to begin one. */
export function StudyList() {
  const queries = useQueryClient();
  const studies = useQuery({ queryKey: ['studies'], queryFn: listStudies });
  const demos = useQuery({ queryKey: ['demos'], queryFn: listDemos });
  const [name, setName] = useState('');
  const who = useWho(null);
  const [shared, setShared] = useState<StudyLine | null>(null);
  const [sure, setSure] = useState<string | null>(null);
  const file = useRef<HTMLInputElement>(null);
  const open = { onSuccess: ({ id }: { id: string }) => goToStudy(id), onError: (e: Error) => tell(e.message, e instanceof Stopped) };
  const create = useMutation({
    mutationFn: async ({ beginning, ...wanted }: { name?: string; demo?: string; beginning?: Beginning }) => {
      const made = await createStudy(wanted);
      if (beginning) beginWith(made.id, beginning);
      return made;
    },
    ...open,
  });
  const take = useMutation({ mutationFn: importStudy, ...open });
  const remove = useMutation({
    mutationFn: deleteStudy,
    onSuccess: () => queries.invalidateQueries({ queryKey: ['studies'] }),
    onError: (e: Error) => tell(e.message),
  });

  return (
    <div className="listing">
      <Working />
      <main>
        <Logo />
        <SignedIn />
        <h1>Studies</h1>
        <form
          style={{ display: 'flex', gap: 8, margin: '18px 0', flexWrap: 'wrap' }}
          onSubmit={(e) => {
            e.preventDefault();
            create.mutate({ name: name.trim() || 'New study' });
          }}
        >
          <TextInput aria-label="Name of the new study" placeholder="Name of the new study" maxLength={120} w={260} value={name} onChange={(e) => setName(e.currentTarget.value)} />
          <Button type="submit" loading={create.isPending}>
            New study
          </Button>
          <Button variant="default" onClick={() => file.current?.click()}>
            From a study file
          </Button>
          <Menu shadow="md">
            <Menu.Target>
              <Button variant="default" disabled={!demos.data?.length}>
                Demo
              </Button>
            </Menu.Target>
            <Menu.Dropdown>
              {demos.data?.map((d) => (
                <Menu.Item key={d.name} title={d.hint} onClick={() => create.mutate({ demo: d.name, beginning: { hint: d.hint } })}>
                  {d.title}
                </Menu.Item>
              ))}
            </Menu.Dropdown>
          </Menu>
          <input
            ref={file}
            hidden
            type="file"
            accept=".json"
            aria-label="Study file"
            onChange={(e) => {
              const chosen = e.currentTarget.files?.[0];
              e.currentTarget.value = '';
              if (chosen) take.mutate(chosen);
            }}
          />
        </form>
        <Beginnings begin={(name, beginning) => create.mutate({ name, beginning })} />
        {studies.isPending && <p className="quiet" role="status">Loading the list…</p>}
        {studies.error && <p role="alert">{studies.error.message}</p>}
        {studies.data?.map((s) => (
          <a
            key={s.id}
            className="paper entry"
            href={`/study/${s.id}`}
            onClick={(e) => {
              if (e.ctrlKey || e.metaKey) return;
              e.preventDefault();
              goToStudy(s.id);
            }}
          >
            <span className="preview">{s.thumbnail !== null && <img src={thumbnailAddress(s.id, s.thumbnail)} alt="" width={104} height={65} />}</span>
            <span className="grow">
              <strong>{s.name}</strong>
              <br />
              <span className="quiet">
                {s.features} {s.features === 1 ? 'step' : 'steps'}
              </span>
            </span>
            <span className="quiet">{when(s.changed)}</span>
            {who.data?.needed && s.role === 'own' && (
              <ActionIcon
                variant="subtle"
                color="gray"
                aria-label={`Share ${s.name}`}
                onClick={(e) => {
                  e.preventDefault();
                  e.stopPropagation();
                  setShared(s);
                }}
              >
                <IconUsers size={16} />
              </ActionIcon>
            )}
            {s.role !== 'own' ? (
              <span className="quiet">guest</span>
            ) : sure === s.id ? (
              <Button
                color="red"
                size="xs"
                onClick={(e) => {
                  e.preventDefault();
                  e.stopPropagation();
                  setSure(null);
                  remove.mutate(s.id);
                }}
              >
                Delete for good
              </Button>
            ) : (
              <ActionIcon
                variant="subtle"
                color="gray"
                aria-label={`Delete ${s.name}`}
                onClick={(e) => {
                  e.preventDefault();
                  e.stopPropagation();
                  setSure(s.id);
                }}
              >
                <IconTrash size={16} />
              </ActionIcon>
            )}
          </a>
        ))}
        {shared && <Sharing study={shared.id} name={shared.name} close={() => setShared(null)} />}
        {studies.data?.length === 0 && <p className="quiet">No study yet. The demo shows a part to look round in.</p>}
      </main>
    </div>
  );
}

const FILES = [
  ['mesh', 'a scan', '.stl,.obj,.ply,.STL,.OBJ,.PLY'],
  ['picture', 'a picture', 'image/png,image/jpeg,image/webp'],
  ['step', 'a STEP file', '.step,.stp,.STEP,.STP'],
] as const;

/** Ways to begin a study with what one has: a file of any kind, or nothing but a curve in mind. */
function Beginnings({ begin }: { begin(name: string, beginning: Beginning): void }) {
  return (
    <div className="beginnings" role="group" aria-label="Begin a study with">
      <span className="quiet">or begin with</span>
      {FILES.map(([kind, label, accept]) => (
        <label key={kind} className="chip">
          {label}
          <input
            type="file"
            className="unseen"
            accept={accept}
            aria-label={`Begin with ${label}`}
            onChange={(e) => {
              const file = e.currentTarget.files?.[0];
              e.currentTarget.value = '';
              if (file) begin(file.name.replace(/\.[^.]*$/, ''), { file: { kind, file } });
            }}
          />
        </label>
      ))}
      <CurveBeginning begin={begin} />
    </div>
  );
}

/** The first tool that draws by clicks, whatever it is called. */
function CurveBeginning({ begin }: { begin(name: string, beginning: Beginning): void }) {
  const tools = useQuery({ queryKey: ['tools'], queryFn: listTools });
  const tool = tools.data?.find((t) => t.fields.some((f) => f.widget === 'cvs'));
  return (
    tool && (
      <button type="button" className="chip" onClick={() => begin('New study', { tool: tool.kind })}>
        a curve
      </button>
    )
  );
}
