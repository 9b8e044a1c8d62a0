/** A failure with a sentence that helps; shown without a stack. */
export class SetupError extends Error {
  name = 'SetupError';
}

const started = Date.now();

/** Says what is being done, with the seconds since the start. */
export const say = (text) =>
  console.error(`[${((Date.now() - started) / 1000).toFixed(1).padStart(5)} s] ${text}`);

/** Runs a script's main function and ends with its sentence when it fails. */
export async function main(work) {
  try {
    await work();
  } catch (error) {
    console.error(error instanceof SetupError ? `\n${error.message}` : error);
    process.exitCode = 1;
  }
}
