/** Makes the worker; in a file of its own, since test runners cannot read `import.meta`. */
export const codeWorker = (): Worker =>
  new Worker(new URL('./code.worker', import.meta.url), { type: 'module' });
