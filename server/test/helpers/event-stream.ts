import { ServerEventSchema, type ServerEvent } from '@nest-mark/core';

/** An event as a browser gets it. */
export interface Got {
  id: number | null;
  event: ServerEvent;
}

/** A browser's event stream, read by the rules of WHATWG HTML section 9.2.6. */
export class EventReader {
  readonly got: Got[] = [];
  /** Number of the last event; what a browser sends when it comes back. */
  last = '';
  /** How often it was told to start over. */
  startOvers = 0;
  private readonly stopping = new AbortController();
  private constructor() {}

  static async open(url: string, last = ''): Promise<EventReader> {
    const reader = new EventReader();
    reader.last = last;
    const response = await fetch(`${url}/api/events`, {
      headers: last === '' ? {} : { 'Last-Event-ID': last },
      signal: reader.stopping.signal,
    });
    if (!response.ok || !response.body) throw new Error(`no stream: ${String(response.status)}`);
    void reader.read(response.body).catch(() => undefined);
    return reader;
  }

  /** Cuts the stream off. */
  close(): void {
    this.stopping.abort();
  }

  private async read(body: ReadableStream<Uint8Array>): Promise<void> {
    const decoder = new TextDecoder();
    let text = '';
    for await (const chunk of body as unknown as AsyncIterable<Uint8Array>) {
      text += decoder.decode(chunk, { stream: true });
      for (let end = text.indexOf('\n\n'); end >= 0; end = text.indexOf('\n\n')) {
        this.take(text.slice(0, end));
        text = text.slice(end + 2);
      }
    }
  }

  private take(block: string): void {
    const fields = new Map(
      block.split('\n').flatMap((line) => {
        const at = line.indexOf(': ');
        return at > 0 ? [[line.slice(0, at), line.slice(at + 2)] as const] : [];
      }),
    );
    const id = fields.get('id');
    if (id !== undefined) this.last = id;
    if (fields.get('event') === 'start-over') this.startOvers++;
    const data = fields.get('data');
    if (data === undefined || fields.has('event')) return;
    this.got.push({
      id: id === undefined ? null : Number(id),
      event: ServerEventSchema.parse(JSON.parse(data)),
    });
  }
}
