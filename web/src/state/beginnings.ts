/** What a study that is just opened begins with: a file to be taken in, a tool to be started, a line that says what to try. */
export interface Beginning {
  file?: { kind: 'step' | 'mesh' | 'picture'; file: File };
  tool?: string;
  hint?: string;
}

const waiting = new Map<string, Beginning>();

export const beginWith = (id: string, beginning: Beginning): void => void waiting.set(id, beginning);

/** What a study begins with; told once. */
export function beginningOf(id: string): Beginning {
  const found = waiting.get(id) ?? {};
  waiting.delete(id);
  return found;
}
