import { create, type StoreApi, type UseBoundStore } from 'zustand';

const begin: (() => void)[] = [];

/** Everything that a study makes its own begins anew: nothing of the last one is carried into the next. */
export const freshStudy = (): void => begin.forEach((anew) => anew());

/** Let a store begin anew with each study. lasting: what stays all the same. */
export function beginsAnew<T extends object>(store: StoreApi<T>, lasting: (state: T) => Partial<T>): void {
  begin.push(() => store.setState({ ...store.getInitialState(), ...lasting(store.getState()) }, true));
}

/** A store of what belongs to one study. */
export function createPerStudy<T extends object>(fresh: T): UseBoundStore<StoreApi<T>> {
  const store = create<T>(() => fresh);
  beginsAnew(store, () => ({}));
  return store;
}
