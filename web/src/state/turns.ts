let last: Promise<unknown> = Promise.resolve();

/** Work that waits for the server keeps the order of the clicks that began it. */
export function inTurn(work: () => Promise<void>): void {
  last = last.then(work, work);
}

/** Done when all that was begun so far is: what was clicked just before Enter counts too. */
export const allDone = (): Promise<unknown> => last;
