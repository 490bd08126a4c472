import { ActionIcon, Button, Modal, TextInput } from '@mantine/core';
import { IconX } from '@tabler/icons-react';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';

import { addGuest, makeLink, removeGuest, removeLink, sharingOf } from '../../api/people';
import type { OpenTo } from '../../api/types';

interface Props {
  study: string;
  name: string;
  close(): void;
}

/** Whom a study is open to: guests who work on it, and a link by which it is looked at. */
export function Sharing({ study, name, close }: Props) {
  const queries = useQueryClient();
  const key = ['sharing', study];
  const open = useQuery({ queryKey: key, queryFn: () => sharingOf(study) });
  const [guest, setGuest] = useState('');
  const change = useMutation({
    mutationFn: (work: () => Promise<OpenTo>) => work(),
    onSuccess: (now) => queries.setQueryData(key, now),
  });
  const link = open.data?.link;
  return (
    <Modal opened onClose={close} title={`Share ${name}`} centered>
      {open.data && (
        <div className="sharing">
          <p className="quiet">{open.data.owners.length ? `Belongs to ${open.data.owners.join(', ')}.` : 'Belongs to the administrators.'} Guests work on it; they do not delete or share it.</p>
          {open.data.guests.map((who) => (
            <div className="row" key={who}>
              <span>{who}</span>
              <ActionIcon variant="subtle" color="gray" aria-label={`Close it to ${who}`} onClick={() => change.mutate(() => removeGuest(study, who))}>
                <IconX size={15} />
              </ActionIcon>
            </div>
          ))}
          <form
            className="row"
            onSubmit={(e) => {
              e.preventDefault();
              change.mutate(() => addGuest(study, guest.trim()), { onSuccess: () => setGuest('') });
            }}
          >
            <TextInput aria-label="Name of a guest" placeholder="Name of a guest" value={guest} maxLength={64} onChange={(e) => setGuest(e.currentTarget.value)} />
            <Button type="submit" variant="default" disabled={!guest.trim()}>
              Add
            </Button>
          </form>
          <h2>Link to look at it</h2>
          <p className="quiet">Who has the link sees the study without an account, and changes nothing.</p>
          {link && <TextInput readOnly aria-label="The link" value={location.origin + link} onFocus={(e) => e.currentTarget.select()} />}
          <div className="row">
            <Button variant="default" onClick={() => change.mutate(() => makeLink(study))}>
              {open.data.linked ? 'Make a new link' : 'Make a link'}
            </Button>
            {open.data.linked && (
              <Button variant="default" onClick={() => change.mutate(() => removeLink(study))}>
                Take it back
              </Button>
            )}
          </div>
          {open.data.linked && <p className="quiet">{link ? 'It is shown only now.' : 'There is one. A new one ends it.'}</p>}
        </div>
      )}
      {(change.error ?? open.error) && (
        <p role="alert" className="people-note">
          ▲ {(change.error ?? open.error)?.message}
        </p>
      )}
    </Modal>
  );
}
