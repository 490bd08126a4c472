/** Most entries that are kept: the browser keeps them for ever if nobody clears them. */
const MOST = 4000;
let count = 0;

/** Do something and leave how long it took where the browser's own tools, and the benchmarks, read it. */
export function measured(name: string, work: () => void): void {
  const start = performance.now();
  work();
  if (++count > MOST) {
    count = 0;
    performance.clearMeasures();
  }
  performance.measure(name, { start });
}
