import { Button, Modal } from '@mantine/core';
import { useEffect, useRef, useState } from 'react';

import { importMesh, importStep } from '../api/rest';
import type { Op, StepImport } from '../api/types';
import { commit, tell } from '../state/session';
import { useStudy } from '../state/study';
import { openers } from './commands';

/** Reads STEP files and reference meshes into the study; faces that cannot be taken are named. */
export function FileImporter() {
  const input = useRef<HTMLInputElement>(null);
  const meshInput = useRef<HTMLInputElement>(null);
  const [problems, setProblems] = useState<StepImport['problems']>([]);
  useEffect(() => {
    openers.importStep = () => input.current?.click();
    openers.importMesh = () => meshInput.current?.click();
    return () => {
      delete openers.importStep;
      delete openers.importMesh;
    };
  }, []);

  const take = async (file: File) => {
    const { id } = useStudy.getState();
    if (!id) return;
    try {
      const { op, taken, problems: left } = await importStep(id, file);
      if (op) await commit(op as Op);
      if (taken) tell(`${taken} ${taken === 1 ? 'face' : 'faces'} taken from ${file.name}.`, true);
      setProblems(left);
    } catch (error) {
      tell((error as Error).message);
    }
  };

  const takeMesh = async (file: File) => {
    const { id } = useStudy.getState();
    if (!id) return;
    try {
      const { op } = await importMesh(id, file);
      if (op && (await commit(op as Op))) tell(`${file.name} lies under the surfaces as a reference.`, true);
    } catch (error) {
      tell((error as Error).message);
    }
  };

  return (
    <>
      <input
        ref={meshInput}
        type="file"
        accept=".stl,.obj,.ply,.STL,.OBJ,.PLY"
        aria-label="Mesh file"
        hidden
        onChange={(e) => {
          const file = e.currentTarget.files?.[0];
          e.currentTarget.value = '';
          if (file) void takeMesh(file);
        }}
      />
      <input
        ref={input}
        type="file"
        accept=".step,.stp,.STEP,.STP"
        aria-label="STEP file"
        hidden
        onChange={(e) => {
          const file = e.currentTarget.files?.[0];
          e.currentTarget.value = '';
          if (file) void take(file);
        }}
      />
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
