/** Makes the worker; in a file of its own, since test runners cannot read `import.meta`. */
export const forecastWorker = (): Worker =>
  new Worker(new URL('./forecast.worker', import.meta.url), { type: 'module' });
