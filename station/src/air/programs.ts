import { execFile } from 'node:child_process';
import { RadioError } from './radio';

/** What programs are started with: those of the system's folders too, and in words that are read here. */
export const programEnv = (): NodeJS.ProcessEnv => ({
  ...process.env,
  LC_ALL: 'C',
  PATH: `/usr/sbin:/sbin:${process.env['PATH'] ?? '/usr/bin:/bin'}`,
});

/** How a program ended. `code` is null where it is not there. */
export interface Ended {
  code: number | null;
  out: string;
  said: string;
}

/**
 * Runs a program of this computer, without a shell.
 * @throws RadioError `stopped`, or `failed` where it takes longer than its time
 */
export const runProgram = (
  program: string,
  args: readonly string[],
  { seconds = 20, signal }: { seconds?: number; signal?: AbortSignal } = {},
): Promise<Ended> =>
  new Promise((done, fail) => {
    const options = {
      env: programEnv(),
      timeout: seconds * 1000,
      maxBuffer: 16 << 20,
      ...(signal ? { signal } : {}),
    };
    execFile(program, [...args], options, (error, out, said) => {
      if (!error) done({ code: 0, out, said });
      else if (signal?.aborted) fail(new RadioError('stopped', 'It was stopped.'));
      else if (error.code === 'ENOENT') done({ code: null, out: '', said: '' });
      else if (error.killed === true)
        fail(new RadioError('failed', `${program} did not answer within ${String(seconds)} seconds.`));
      else done({ code: typeof error.code === 'number' ? error.code : 1, out, said });
    });
  });
