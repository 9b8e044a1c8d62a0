/** Makes the worker; in a file of its own, since test runners cannot read `import.meta`. */
export const checkWorker = (): Worker =>
  new Worker(new URL('./check.worker', import.meta.url), { type: 'module' });
