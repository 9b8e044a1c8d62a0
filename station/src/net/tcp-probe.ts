import { connect } from 'node:net';

/** How an address answered. */
export interface TcpAnswer {
  address: string;
  /** `unreachable`: this computer has no way there, so nothing was asked. */
  answer: 'open' | 'refused' | 'silent' | 'unreachable';
  /** First line that the service said by itself, if it did. */
  banner: string | null;
}

/** What the system says when there is no way to an address (connect(2)); it says so at once, without asking anybody. */
const noWay = new Set(['ENETUNREACH', 'EADDRNOTAVAIL', 'EACCES', 'EPERM', 'EINVAL', 'ENETDOWN']);

/** Milliseconds by which a timer may be late before the time counts as not waited. */
const LATE = 100;

/**
 * Calls back after some time in which the loop was alive. Time in which it was busy does not count: an answer may lie
 * there unread.
 * @returns how to stop it
 */
export function afterAlive(milliseconds: number, done: () => void): () => void {
  let timer: NodeJS.Timeout;
  let immediate: NodeJS.Immediate | undefined;
  const wait = (length: number): void => {
    const due = performance.now() + length;
    timer = setTimeout(() => {
      const late = performance.now() - due > LATE;
      // Timers come before input in a turn of the loop; what has arrived is read before the time is called up.
      if (late) wait(Math.min(length, LATE * 2));
      else immediate = setImmediate(done);
    }, length);
  };
  wait(milliseconds);
  return () => {
    clearTimeout(timer);
    if (immediate) clearImmediate(immediate);
  };
}

/**
 * Connects to a port and listens for a greeting.
 * @param timeoutMs for the connection; 1,500 leaves room for one retransmission after a second (RFC 6298 2.1)
 */
export function probeTcp(
  address: string,
  port: number,
  timeoutMs = 1500,
  bannerMs = 1500,
): Promise<TcpAnswer> {
  return new Promise((resolve) => {
    const socket = connect({ host: address, port });
    let opened = false;
    let heard = '';
    const end = (answer: TcpAnswer['answer']): void => {
      stopWaiting();
      socket.destroy();
      const line = heard.split(/\r?\n/)[0] ?? '';
      resolve({ address, answer, banner: line === '' ? null : line.slice(0, 255) });
    };
    let stopWaiting = afterAlive(timeoutMs, () => {
      end('silent');
    });
    socket.setEncoding('latin1');
    socket.once('connect', () => {
      opened = true;
      stopWaiting();
      stopWaiting = afterAlive(bannerMs, () => {
        end('open');
      });
    });
    socket.on('data', (text: string) => {
      heard += text;
      if (heard.includes('\n') || heard.length > 255) end('open');
    });
    socket.once('close', () => {
      end(opened ? 'open' : 'refused');
    });
    socket.once('error', (error: NodeJS.ErrnoException) => {
      const { code = '' } = error;
      end(opened ? 'open' : code === 'ECONNREFUSED' ? 'refused' : noWay.has(code) ? 'unreachable' : 'silent');
    });
  });
}
