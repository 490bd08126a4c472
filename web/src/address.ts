const listeners = new Set<() => void>();

/** The study that the address names, or null for the list of studies. */
export const studyInAddress = (): string | null => /^\/study\/([A-Za-z0-9]+)$/.exec(location.pathname)?.[1] ?? null;

export function watchAddress(changed: () => void): () => void {
  listeners.add(changed);
  window.addEventListener('popstate', changed);
  return () => {
    listeners.delete(changed);
    window.removeEventListener('popstate', changed);
  };
}

export function go(path: string): void {
  history.pushState(null, '', path);
  for (const listener of listeners) listener();
}

export const goToStudy = (id: string) => go(`/study/${id}`);
export const goToList = () => go('/');
