import { runProgram } from './programs';

/** Asks a service of this computer over the system bus, without a shell; the answer is JSON (busctl(1)). */
export const bus = (...words: readonly string[]): ReturnType<typeof runProgram> =>
  runProgram('busctl', ['--json=short', '--timeout=10', 'call', ...words]);
