import { Button, Modal } from '@mantine/core';
import { useEffect, useRef, useState, type RefObject } from 'react';

import type { Op, StepImport } from '../../api/types';
import type { Beginning } from '../../state/beginnings';
import { importInto } from '../../state/files';
import { commit, tell } from '../../state/session';
import { useStudy } from '../../state/study';
import { Stopped } from '../../state/work';
import { eye } from '../../state/view';
import { openers } from '../bar/commands';

/** Reads STEP files, reference meshes and pictures into the study; what cannot be taken is named. */
export function FileImporter({ begun }: { begun: Beginning['file'] }) {
  const input = useRef<HTMLInputElement>(null);
  const meshInput = useRef<HTMLInputElement>(null);
  const pictureInput = useRef<HTMLInputElement>(null);
  const [problems, setProblems] = useState<StepImport['problems']>([]);
  useEffect(() => {
    openers.importStep = () => input.current?.click();
    openers.importMesh = () => meshInput.current?.click();
    openers.importPicture = () => pictureInput.current?.click();
    return () => {
      delete openers.importStep;
      delete openers.importMesh;
      delete openers.importPicture;
    };
  }, []);

  const take = async (file: File) => {
    const { id } = useStudy.getState();
    if (!id) return;
    try {
      const { op, taken, problems: left } = await importInto(id, 'step', file);
      if (op) await commit(op as Op);
      if (taken) tell(`${taken} ${taken === 1 ? 'object' : 'objects'} taken from ${file.name}.`, true);
      setProblems(left);
    } catch (error) {
      tell((error as Error).message, error instanceof Stopped);
    }
  };

  const takeReference = async (kind: 'mesh' | 'picture', file: File, lay: (op: Op) => Op = (op) => op) => {
    const { id } = useStudy.getState();
    if (!id) return;
    try {
      const { op, problems: doubts } = await importInto(id, kind, file);
      if (op && (await commit(lay(op as Op)))) tell(`${file.name} lies under the surfaces as a reference.`, true);
      doubts.forEach((d) => tell(`${d.name}: ${d.reason}.`));
    } catch (error) {
      tell((error as Error).message, error instanceof Stopped);
    }
  };

  // A study that begins with a file takes it as soon as it is open.
  useEffect(() => {
    if (!begun) return;
    if (begun.kind === 'step') void take(begun.file);
    else void takeReference(begun.kind, begun.file, begun.kind === 'picture' ? facing : undefined);
  }, [begun]);

  return (
    <>
      <Chooser chooser={meshInput} label="Mesh file" accept=".stl,.obj,.ply,.STL,.OBJ,.PLY" take={(file) => void takeReference('mesh', file)} />
      <Chooser chooser={pictureInput} label="Picture file" accept="image/png,image/jpeg,image/webp" take={(file) => void takeReference('picture', file, facing)} />
      <Chooser chooser={input} label="STEP file" accept=".step,.stp,.STEP,.STP" take={(file) => void take(file)} />
      <Modal opened={problems.length > 0} onClose={() => setProblems([])} title="Not taken from the file" size={460}>
        <ul>
          {problems.map((p) => (
            <li key={p.name}>
              <strong>{p.name}</strong> ({p.kind}): {p.reason}
            </li>
          ))}
        </ul>
        <Button onClick={() => setProblems([])}>Understood</Button>
      </Modal>
    </>
  );
}

/** A new picture lies square to the principal direction that one looks along. */
function facing(op: Op): Op {
  if (op.op !== 'add_features') return op;
  const sizes = eye.direction().map(Math.abs);
  const axis = ['x', 'y', 'z'][sizes.indexOf(Math.max(...sizes))];
  return { ...op, features: op.features.map((f) => ({ ...f, params: { ...f.params, axis } })) };
}

interface ChooserProps {
  chooser: RefObject<HTMLInputElement | null>;
  label: string;
  accept: string;
  take(file: File): void;
}

const Chooser = ({ chooser, label, accept, take }: ChooserProps) => (
  <input
    ref={chooser}
    type="file"
    accept={accept}
    aria-label={label}
    hidden
    onChange={(e) => {
      const file = e.currentTarget.files?.[0];
      e.currentTarget.value = '';
      if (file) take(file);
    }}
  />
);
