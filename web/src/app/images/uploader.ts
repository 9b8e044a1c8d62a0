import { Injectable, signal } from '@angular/core';
import { Upload, type DetailedError, type HttpStack } from 'tus-js-client';
import { publishedDigest } from '@nest-mark/core';
import { ProblemSchema, UPLOAD_PIECE, type Problem } from '@nest-mark/core/api';
import { handlingOf, met } from '../api/api-problem';

/** A file on its way to the shelf. */
export interface Sending {
  name: string;
  size: number;
  sent: number;
  /** Octets per second since it began; 0 while that is not known. */
  rate: number;
  state: 'sending' | 'waiting' | 'failed';
  problem: Problem | null;
}

/** Milliseconds to wait before a broken connection is tried again; the first time it may have been an answer only. */
const waits = [0, ...Array.from({ length: 30 }, () => 2000)];

/** What a header can hold of a published list. */
const headerHolds = 2000;

/** The part of what is published that says something about a file: lists of whole shelves are long. */
function digestOf(text: string, name: string): string {
  const published = publishedDigest(text, name);
  // What says nothing is judged, and told, by the server.
  return published && 'digest' in published ? published.digest : text.slice(0, headerHolds);
}

/** What the server, or the lack of one, says. An answer to HEAD has no text. */
function problemOf({ originalResponse: response }: DetailedError): Problem {
  const told = ProblemSchema.safeParse(parsed(response?.getBody() ?? ''));
  if (told.success) return told.data;
  return response && response.getStatus() < 500
    ? met('unknown', { status: String(response.getStatus()) })
    : met('unreachable');
}

function parsed(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return null;
  }
}

/**
 * Sends an image by the tus resumable upload protocol and goes on after a break, in this browser or in another one;
 * leaving the page does not stop it.
 */
@Injectable({ providedIn: 'root' })
export class Uploader {
  readonly sending = signal<Sending | null>(null);
  /** How requests are sent and what is waited between tries; for tests. */
  using: { httpStack?: HttpStack; retryDelays: number[] } = { retryDelays: waits };
  private current: Upload | null = null;
  private ended: () => void = () => undefined;

  /** Sends a file; one at a time. @returns once it was sent, failed or was stopped */
  async send(file: File, title: string, sha256: string): Promise<void> {
    if (this.current) return;
    const { name, size } = file;
    this.sending.set({ name, size, sent: 0, rate: 0, state: 'sending', problem: null });
    const end = new Promise<void>((resolve) => (this.ended = resolve));
    const follow = this.follow();
    const upload: Upload = new Upload(file, {
      ...this.using,
      endpoint: '/api/uploads',
      chunkSize: UPLOAD_PIECE,
      // The server knows what was begun, for every browser.
      storeFingerprintForResuming: false,
      headers: { 'X-Nest-Mark': '1' },
      metadata: {
        filename: name,
        modified: String(file.lastModified),
        title,
        sha256: digestOf(sha256, name),
      },
      // It begins to send a moment after it was told to, and may have been stopped by then.
      onBeforeRequest: () => {
        if (this.current !== upload) throw new Error('stopped');
      },
      onProgress: (sent) => {
        if (this.current === upload) follow(sent);
      },
      onShouldRetry: (error) => this.current === upload && this.goesOn(problemOf(error)),
      onError: (error) => {
        if (this.current !== upload) return;
        this.change({ state: 'failed', problem: problemOf(error as DetailedError) });
        this.end();
      },
      onSuccess: () => {
        this.sending.set(null);
        this.end();
      },
    });
    this.current = upload;
    upload.start();
    await end;
  }

  /** Stops sending; what has arrived is kept and the same file goes on from there. */
  stop(): void {
    void this.current?.abort();
    this.sending.set(null);
    this.end();
  }

  private end(): void {
    this.current = null;
    this.ended();
  }

  private change(change: Partial<Sending>): void {
    this.sending.update((now) => now && { ...now, ...change });
  }

  /** Whether a problem is over by itself, or by asking where the file goes on. */
  private goesOn(problem: Problem): boolean {
    const handling = handlingOf(problem);
    if (handling === 'wait') this.change({ state: 'waiting', rate: 0 });
    return handling === 'wait' || handling === 'go-on';
  }

  /** Tells how far it is, and how fast it is since it began or went on. */
  private follow(): (sent: number) => void {
    let since = { at: performance.now(), sent: 0 };
    let before = -1;
    return (sent) => {
      // What was there already did not come now; after a break it is counted anew.
      if (before < 0 || sent < before || this.sending()?.state === 'waiting')
        since = { at: performance.now(), sent };
      before = sent;
      const seconds = (performance.now() - since.at) / 1000;
      const rate = seconds > 0.5 ? Math.max(0, sent - since.sent) / seconds : 0;
      this.change({ state: 'sending', sent, rate });
    };
  }
}
