import type { ReachedPort } from '@nest-mark/core';
import { encryptingScreens, plainOutput, SCREEN_WITHOUT_PASSWORD } from '@nest-mark/core/bring-up';
import { Conversation } from './conversation';

/** Finds out what speaks on a port, by what it says and never by its number alone. Nobody logs in anywhere. */

type Judged = Omit<ReachedPort, 'port' | 'said'>;

const shown = (said: string): string =>
  plainOutput(said.split(/[\r\n]/)[0] ?? '')
    .replace(/[^\x20-\x7e·]/g, '·')
    .slice(0, 80);

/** Whether a page wants to know who asks; null where that cannot be told. */
function pageAsks(answer: string): boolean | null {
  const [, status = ''] = /^HTTP\/\d(?:\.\d)? (\d{3})/.exec(answer) ?? [];
  if (status === '401' || status === '403' || status === '407') return true;
  if (status.startsWith('3'))
    return /^location:.*(log-?in|sign-?in|auth|session)/im.test(answer) ? true : null;
  if (status !== '200') return null;
  return (
    /type\s*=\s*["']?password/i.test(answer) ||
    /(log-?in|sign-?in)[^<]{0,40}<\/(title|h1|button)>/i.test(answer)
  );
}

const pageRequest = (address: string): string =>
  `GET / HTTP/1.1\r\nHost: ${address.includes(':') ? `[${address}]` : address}\r\nConnection: close\r\nAccept: text/html\r\n\r\n`;

/** A remote screen's handshake as far as it goes before anybody logs in (RFC 6143, section 7.1). */
async function askScreen(talk: Conversation): Promise<Judged> {
  const version = /^RFB (\d{3})\.(\d{3})\n/.exec(talk.said);
  const old = version !== null && Number(version[2]) < 7;
  talk.send(talk.said.slice(0, 12));
  const from = 12;
  await talk.until(
    (said) => said.length >= from + (old ? 4 : 1) && (old || said.length >= from + 1 + said.charCodeAt(from)),
  );
  const octets = [...talk.octets.subarray(from)];
  const ways = old ? octets.slice(3, 4) : octets.slice(1, 1 + (octets[0] ?? 0));
  if (ways.length === 0) return { speaks: 'rfb', encrypted: null, asksLogin: null };
  return {
    speaks: 'rfb',
    encrypted: ways.every((way) => encryptingScreens.has(way)),
    asksLogin: !ways.includes(SCREEN_WITHOUT_PASSWORD),
  };
}

/** What a service is that spoke first. */
async function bySaying(talk: Conversation): Promise<Judged | null> {
  const { said } = talk;
  if (said.startsWith('SSH-')) return { speaks: 'ssh', encrypted: true, asksLogin: true };
  if (said.startsWith('RFB ')) {
    await talk.until((text) => text.length >= 12);
    return askScreen(talk);
  }
  // Commands of telnet begin with the octet 255 (RFC 854).
  if (said.charCodeAt(0) === 255) return { speaks: 'telnet', encrypted: false, asksLogin: null };
  if (/^(?:.*\n)?(?:login|username|password):/i.test(said))
    return { speaks: 'telnet', encrypted: false, asksLogin: true };
  if (/^220[ -].*smtp/i.test(said)) return { speaks: 'smtp', encrypted: false, asksLogin: null };
  if (/^220[ -]/.test(said)) return { speaks: 'ftp', encrypted: false, asksLogin: null };
  // The greeting of a database server: a length of three octets, a zero, protocol 10 and its version.
  if (/^...\x00\x0a\d+\.\d+/s.test(said)) return { speaks: 'database', encrypted: null, asksLogin: true };
  if (said.startsWith('HTTP/')) return { speaks: 'http', encrypted: false, asksLogin: pageAsks(said) };
  return null;
}

/** Questions for services that wait to be spoken to, by the port at which they usually are. */
const openers: Readonly<Record<number, { words: string; judge: (said: string) => Judged | null }>> = {
  // CONNECT without a name or password (MQTT 3.1.1, section 3.1); CONNACK with return code 0 lets us in.
  1883: {
    words: '\x10\x0c\x00\x04MQTT\x04\x02\x00\x05\x00\x00',
    judge: (said) =>
      said.startsWith('\x20\x02')
        ? { speaks: 'mqtt', encrypted: false, asksLogin: said.charCodeAt(3) !== 0 }
        : null,
  },
  6379: {
    words: 'PING\r\n',
    judge: (said) =>
      /^\+PONG|^-NOAUTH|^-DENIED/.test(said)
        ? { speaks: 'redis', encrypted: false, asksLogin: !said.startsWith('+PONG') }
        : null,
  },
  // SSLRequest (PostgreSQL documentation, "Message Formats").
  5432: {
    words: '\x00\x00\x00\x08\x04\xd2\x16\x2f',
    judge: (said) =>
      said === 'S' || said === 'N' ? { speaks: 'database', encrypted: said === 'S', asksLogin: null } : null,
  },
  // Connection request with a choice of protocols (MS-RDPBCGR, section 2.2.1.1): plain, or encrypted by TLS.
  3389: {
    words: '\x03\x00\x00\x13\x0e\xe0\x00\x00\x00\x00\x00\x01\x00\x08\x00\x03\x00\x00\x00',
    judge: (said) =>
      said.startsWith('\x03\x00')
        ? {
            speaks: 'rdp',
            encrypted: said.length >= 19 && said.charCodeAt(11) === 2 && said.charCodeAt(15) !== 0,
            asksLogin: true,
          }
        : null,
  },
};

/** A first conversation without encryption. */
async function plainly(
  address: string,
  port: number,
): Promise<{ judged: Judged | null; said: string } | null> {
  const talk = await Conversation.open(address, port, false);
  if (!talk) return null;
  try {
    await talk.firstWord();
    if (talk.said !== '') {
      const judged = await bySaying(talk);
      if (judged) return { judged, said: talk.said };
    }
    const opener = openers[port];
    if (opener) {
      talk.send(opener.words);
      await talk.until((said) => said !== '');
      const judged = opener.judge(talk.said) ?? (await bySaying(talk));
      return { judged, said: judged ? '' : talk.said };
    }
    talk.send(pageRequest(address));
    // The page's beginning is enough to see whether it asks for a password.
    await talk.until((said) => !said.startsWith('HTTP/') && said.length >= 4);
    return { judged: await bySaying(talk), said: talk.said };
  } finally {
    talk.close();
  }
}

/** The same under TLS; null where that cannot be had. */
async function encrypted(address: string, port: number): Promise<{ judged: Judged; said: string } | null> {
  const talk = await Conversation.open(address, port, true);
  if (!talk) return null;
  try {
    talk.send(pageRequest(address));
    await talk.until((said) => !said.startsWith('HTTP/') && said.length >= 4);
    const page = talk.said.startsWith('HTTP/');
    return {
      judged: {
        speaks: page ? 'http' : 'unknown',
        encrypted: true,
        asksLogin: page ? pageAsks(talk.said) : null,
      },
      said: talk.said,
    };
  } finally {
    talk.close();
  }
}

/** What speaks on a port of a board; null when nobody does. */
export async function speaksAt(address: string, port: number): Promise<ReachedPort | null> {
  const first = await plainly(address, port);
  if (!first) return null;
  const told = (judged: Judged, said: string): ReachedPort => ({ port, ...judged, said: shown(said) });
  const wantsTls =
    first.judged === null ||
    (first.judged.speaks === 'http' &&
      /^HTTP\/\d\.\d 400/.test(first.said) &&
      /https|tls|ssl/i.test(first.said));
  if (wantsTls) {
    const second = await encrypted(address, port);
    if (second) return told(second.judged, second.said);
  }
  return told(first.judged ?? { speaks: 'unknown', encrypted: null, asksLogin: null }, first.said);
}
