import { download, upload } from '../api/rest';
import type { Created, FileCheck, StepImport } from '../api/types';
import { worked } from './work';

/** A file as a new study. */
export async function importStudy(file: File): Promise<Created> {
  return (await worked(`Reading ${file.name}`, '/studies/import', upload(file))).result as unknown as Created;
}

/** The operation that adds what a file holds, and what is wrong with it. */
export async function importInto(id: string, kind: 'step' | 'mesh' | 'picture', file: File): Promise<StepImport> {
  return (await worked(`Reading ${file.name}`, `/studies/${id}/${kind}`, upload(file))).result as unknown as StepImport;
}

/** Writes a study's file, all of it or some faces, and hands it to the browser; returns its name. */
export async function exportFile(id: string, form: 'step' | 'json', faces?: string[]): Promise<string> {
  const job = await worked('Writing the file', `/studies/${id}/export.${form}${query(faces)}`);
  return download(`/jobs/${job.id}/file`);
}

/** The STEP file that would go out, read back and checked. */
export async function checkFile(id: string, faces?: string[]): Promise<FileCheck> {
  return (await worked('Checking the file', `/studies/${id}/check${query(faces)}`)).result as unknown as FileCheck;
}

function query(faces?: string[]): string {
  return faces?.length ? `?${faces.map((f) => `face=${encodeURIComponent(f)}`).join('&')}` : '';
}
