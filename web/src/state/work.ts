import { create } from 'zustand';

import { ask, ServerError } from '../api/rest';
import type { Job } from '../api/types';

/** Work of the workers that somebody waits for here. */
interface UnderWay {
  job: Job;
  words: string;
}

export const useWork = create<{ underWay: UnderWay[] }>(() => ({ underWay: [] }));

const SOON = 60;
const LATER = 400;

/** Somebody stopped it. */
export class Stopped extends Error {}

function put(job: Job, words: string): void {
  useWork.setState(({ underWay }) => {
    const known = underWay.some((u) => u.job.id === job.id);
    return { underWay: known ? underWay.map((u) => (u.job.id === job.id ? { job, words } : u)) : [...underWay, { job, words }] };
  });
}

/** Has the workers do something and waits for it; words: what it is, for who waits. */
export async function worked(words: string, path: string, init: RequestInit = {}): Promise<Job> {
  let job = await ask<Job>(path, { ...init, headers: { ...init.headers, Prefer: 'respond-async' } });
  try {
    for (let pause = SOON; job.state === 'waiting' || job.state === 'working'; pause = Math.min(1.3 * pause, LATER)) {
      put(job, words);
      await new Promise((go) => setTimeout(go, pause));
      job = await ask<Job>(`/jobs/${job.id}`);
    }
  } finally {
    useWork.setState(({ underWay }) => ({ underWay: underWay.filter((u) => u.job.id !== job.id) }));
  }
  if (job.state === 'stopped') throw new Stopped('Stopped. Nothing was changed.');
  if (job.state === 'failed') throw new ServerError(job.message ?? 'Pamble could not carry this out.');
  return job;
}

export const stopJob = (id: string) => ask<void>(`/jobs/${id}`, { method: 'DELETE' });
