import type { BoardOutput } from '@nest-mark/core';
import type { JobProgress } from '@nest-mark/core/bring-up';

/** Characters of a board's output that are kept while it is brought up. */
const KEPT = 64 << 10;

interface Told {
  text: string;
  /** Characters that were told by now. */
  end: number;
  job: JobProgress | null;
  /** When it began, in milliseconds since 1970. */
  since: number;
}

/** What boards that are brought up here print, and how far their jobs are; it lives no longer than the program. */
export class LiveBoards {
  private readonly boards = new Map<string, Told>();

  begin(deviceId: string): void {
    this.boards.set(deviceId, { text: '', end: 0, job: null, since: Date.now() });
  }

  tell(deviceId: string, text: string): void {
    const told = this.boards.get(deviceId);
    if (!told) return;
    told.text = (told.text + text).slice(-KEPT);
    told.end += text.length;
  }

  setJob(deviceId: string, job: JobProgress | null): void {
    const told = this.boards.get(deviceId);
    if (told) told.job = job;
  }

  /** When a board was begun with here, in milliseconds since 1970; null when it was not. */
  sinceOf(deviceId: string): number | null {
    return this.boards.get(deviceId)?.since ?? null;
  }

  jobOf(deviceId: string): JobProgress | null {
    return this.boards.get(deviceId)?.job ?? null;
  }

  /** What a board printed. @param from characters that the asker has */
  output(deviceId: string, from: number): BoardOutput {
    const told = this.boards.get(deviceId);
    if (!told) return { end: 0, dropped: false, text: '' };
    const first = told.end - told.text.length;
    // Whoever asks for more than there is has another run's output.
    const start = from > told.end ? first : Math.max(from, first);
    return { end: told.end, dropped: start > from || from > told.end, text: told.text.slice(start - first) };
  }
}
