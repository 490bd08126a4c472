import { Button, Checkbox, Modal } from '@mantine/core';
import { useEffect, useState } from 'react';

import type { FileCheck } from '../../api/types';
import { checkFile, exportFile } from '../../state/files';
import { tell } from '../../state/session';
import { useStudy } from '../../state/study';
import { Stopped } from '../../state/work';
import { openers } from '../bar/commands';
import { FileChecked } from './FileChecked';

/** Export chosen or all faces as STEP, or the study as JSON. */
export function ExportDialog() {
  const [open, setOpen] = useState(false);
  const { id, study, kept } = useStudy();
  const able = study?.features.filter((f) => f.on && kept.shapes.has(f.id) && kept.shapes.get(f.id)?.object.kind !== 'mesh') ?? [];
  const [left, setLeft] = useState<string[]>([]);
  const [found, setFound] = useState<FileCheck | null>(null);
  const [checking, setChecking] = useState(false);
  useEffect(() => {
    openers.export = () => {
      setLeft([]);
      setFound(null);
      setOpen(true);
    };
    return () => void delete openers.export;
  }, []);
  const chosen = able.filter((f) => !left.includes(f.id)).map((f) => f.id);
  const faces = chosen.length === able.length ? undefined : chosen;

  const save = async (form: 'step' | 'json') => {
    if (!id) return;
    setOpen(false);
    try {
      tell(`${await exportFile(id, form, form === 'step' ? faces : undefined)} was written.`, true);
    } catch (error) {
      tell((error as Error).message, error instanceof Stopped);
    }
  };
  const check = async () => {
    if (!id) return;
    setChecking(true);
    try {
      setFound(await checkFile(id, faces));
    } catch (error) {
      tell((error as Error).message, error instanceof Stopped);
    }
    setChecking(false);
  };

  return (
    <Modal opened={open} onClose={() => setOpen(false)} title="Export" size={580}>
      <div className="exported">
        {able.map((f) => (
          <Checkbox
            key={f.id}
                        label={f.name}
            checked={!left.includes(f.id)}
            onChange={(e) => {
              setLeft(e.currentTarget.checked ? left.filter((x) => x !== f.id) : [...left, f.id]);
              setFound(null);
            }}
          />
        ))}
      </div>
      {!able.length && <p className="quiet">There is no face or curve to export yet.</p>}
      <div style={{ display: 'flex', gap: 8, marginTop: 14 }}>
        <Button size="sm" disabled={!chosen.length} onClick={() => void save('step')}>
          STEP, {chosen.length === able.length ? 'all' : chosen.length} {chosen.length === 1 && able.length > 1 ? 'object' : 'objects'}
        </Button>
        <Button size="sm" variant="default" onClick={() => void save('json')}>
          Study as JSON
        </Button>
        <Button size="sm" variant="subtle" disabled={!chosen.length} loading={checking} onClick={() => void check()}>
          Check the STEP file
        </Button>
      </div>
      {found && <FileChecked found={found} />}
      <p className="quiet" style={{ marginBottom: 0 }}>
        STEP holds exact B-spline faces and curves in mm. JSON holds the whole study with its build.
      </p>
    </Modal>
  );
}
