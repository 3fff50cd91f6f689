/** The little of a browser that plain client logic touches. */
const store = new Map<string, string>();
const page = {
  document: { documentElement: { dataset: {} as Record<string, string> }, hidden: false },
  window: { addEventListener: () => undefined, clearInterval: () => undefined, setInterval: () => 0, devicePixelRatio: 1 },
  localStorage: {
    getItem: (k: string) => store.get(k) ?? null,
    setItem: (k: string, v: string) => void store.set(k, v),
    removeItem: (k: string) => void store.delete(k),
  },
  requestAnimationFrame: (run: () => void) => setTimeout(run, 0),
  cancelAnimationFrame: (id: number) => clearTimeout(id),
};
// Tests of components have a whole one.
if (!("window" in globalThis)) Object.assign(globalThis, page);
// No server answers here.
else globalThis.fetch = () => new Promise(() => undefined);
