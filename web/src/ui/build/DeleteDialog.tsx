import { Button, Modal } from '@mantine/core';
import { useEffect, useState } from 'react';

import type { NamedId } from '../../api/types';
import { removeFeatures, selectedFeature } from '../../state/actions';
import { dependents, tell } from '../../state/session';
import { openers } from '../bar/commands';

/** Deleting says first what hangs on a step. */
export function DeleteDialog() {
  const [asked, setAsked] = useState<{ id: string; name: string; hang: NamedId[] } | null>(null);
  useEffect(() => {
    openers.remove = () => {
      const feature = selectedFeature();
      if (!feature) {
        tell('Pick what is to be deleted first.');
        return;
      }
      dependents([feature.id])
        .then((hang) => setAsked({ id: feature.id, name: feature.name, hang }))
        .catch((error: Error) => tell(error.message));
    };
    return () => void delete openers.remove;
  }, []);
  const close = () => setAsked(null);
  const remove = (ids: string[]) => {
    close();
    void removeFeatures(ids);
  };
  return (
    <Modal opened={asked !== null} onClose={close} title={`Delete ${asked?.name ?? ''}?`} size={420}>
      {asked?.hang.length ? (
        <>
          <p style={{ marginTop: 0 }}>What hangs on it:</p>
          <ul>
            {asked.hang.map((h) => (
              <li key={h.id}>{h.name}</li>
            ))}
          </ul>
          <p className="quiet">If these stay, they keep their last shape and are marked until another edge is picked.</p>
        </>
      ) : (
        <p style={{ marginTop: 0 }}>Nothing hangs on it. Undo brings it back.</p>
      )}
      <div style={{ display: 'flex', gap: 8 }}>
        {asked && asked.hang.length > 0 && (
          <Button color="red" onClick={() => remove([asked.id, ...asked.hang.map((h) => h.id)])}>
            Delete all {asked.hang.length + 1}
          </Button>
        )}
        {asked && (
          <Button color="red" variant={asked.hang.length ? 'default' : 'filled'} onClick={() => remove([asked.id])}>
            Delete {asked.hang.length ? 'only this' : ''}
          </Button>
        )}
        <Button variant="default" onClick={close}>
          Cancel
        </Button>
      </div>
    </Modal>
  );
}
