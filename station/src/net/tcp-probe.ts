import { connect } from 'node:net';

/** How an address answered. */
export interface TcpAnswer {
  address: string;
  answer: 'open' | 'refused' | 'silent';
  /** First line that the service said by itself, if it did. */
  banner: string | null;
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
      clearTimeout(timer);
      socket.destroy();
      const line = heard.split(/\r?\n/)[0] ?? '';
      resolve({ address, answer, banner: line === '' ? null : line.slice(0, 255) });
    };
    let timer = setTimeout(() => {
      end('silent');
    }, timeoutMs);
    socket.setEncoding('latin1');
    socket.once('connect', () => {
      opened = true;
      clearTimeout(timer);
      timer = setTimeout(() => {
        end('open');
      }, bannerMs);
    });
    socket.on('data', (text: string) => {
      heard += text;
      if (heard.includes('\n') || heard.length > 255) end('open');
    });
    socket.once('close', () => {
      end(opened ? 'open' : 'refused');
    });
    socket.once('error', (error: NodeJS.ErrnoException) => {
      end(opened ? 'open' : error.code === 'ECONNREFUSED' ? 'refused' : 'silent');
    });
  });
}
