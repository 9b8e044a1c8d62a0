import { listed } from '../../listed';
import { said, unknown, well, type Answers, type BoardFinding, type Step } from '../model';
import { readListeners, type Listener } from '../readers';

/** Ports of remote screens: RFB by display number (RFC 6143, section 7; common practice), and RDP's own. */
const isScreen = ({ port }: Pick<Listener, 'port'>): boolean =>
  (port >= 5900 && port <= 5999) || port === 3389;
const isRfb = (port: number): boolean => port !== 3389;

/** How a finding of a screen that is reached through the login begins; its port follows. */
const BEHIND = 'Its remote screen on port ';

/** Where a client finds a screen once its port is carried here (RFC 7869); null where its protocol has no such address. */
export const screenAddress = (port: number): string | null =>
  isRfb(port) ? `vnc://127.0.0.1:${String(port)}` : null;

/** Ports of screens that are reached through the login alone, as the findings of this step tell them. */
export const screensOf = (findings: readonly Pick<BoardFinding, 'text'>[]): number[] =>
  findings.flatMap(({ text }) => {
    const port = text.startsWith(BEHIND) ? Number(/^\d+/.exec(text.slice(BEHIND.length))?.[0]) : NaN;
    return isScreen({ port }) ? [port] : [];
  });

/**
 * Ways of an RFB server that encrypt all that follows: RA2 with 128 and 256 bits, TLS, VeNCrypt (the protocol's registry
 * of security types; from memory). The two of RFC 6143 itself, section 7.2, encrypt nothing.
 */
export const encryptingScreens: ReadonlySet<number> = new Set([5, 18, 19, 129]);
/** The way that asks for nothing (RFC 6143, section 7.2.1). */
export const SCREEN_WITHOUT_PASSWORD = 1;

/** Asks each RFB server on the board which ways it offers, as far as the handshake goes before anybody logs in. */
const WAYS = `command -v bash >/dev/null || exit 0
for port in $(awk '$4 == "0A" { split($2, a, ":"); print a[2] }' /proc/net/tcp /proc/net/tcp6 2>/dev/null | sort -u); do
    port=$((0x$port))
    [ "$port" -ge 5900 ] && [ "$port" -le 5999 ] || continue
    timeout 5 bash -c 'exec 3<>"/dev/tcp/127.0.0.1/$1" || exit
        head -c 12 <&3 >/dev/null
        printf "RFB 003.008\\n" >&3
        count=$(head -c 1 <&3 | od -An -tu1)
        echo "$1 $(head -c "\${count:-0}" <&3 | od -An -tu1 | tr -s " \\n" " ")"' bash "$port" 2>/dev/null
done
true`;

/** Ways by the port of the server that offers them. */
function readWays(answers: Answers): Map<number, number[]> {
  return new Map(
    (said(answers, 'ways') ?? '').split('\n').flatMap((line): [number, number[]][] => {
      const [port = NaN, ...ways] = line.trim().split(/\s+/).map(Number);
      return Number.isInteger(port) && ways.length > 0 && ways.every(Number.isInteger) ? [[port, ways]] : [];
    }),
  );
}

/** Whether a remote screen of the board is reached by nobody who should not reach it. */
export const remoteScreen: Step = {
  id: 'remote-screen',
  title: 'Remote screen',
  why: 'Whoever is on the same network sees and types what goes over a remote screen that encrypts nothing. Bound to the board itself it is reached through the login only.',
  source: 'proc(5), /proc/net/tcp; RFC 6143, sections 7.1.2 and 7.2; ssh(1), -L',
  questions: () => [
    { id: 'listens', command: 'cat /proc/net/tcp; cat /proc/net/tcp6 2>/dev/null; true', root: false },
    { id: 'ways', command: WAYS, root: false },
  ],
  judge({ answers, expected }) {
    const text = said(answers, 'listens');
    if (text === null) return unknown('The board did not tell who listens on it.');
    const screens = readListeners(text).filter(isScreen);
    if (screens.length === 0) return well('No remote screen listens.');
    const ways = readWays(answers);
    const findings: BoardFinding[] = [];
    const ports = (some: readonly Listener[]): number[] => [...new Set(some.map(({ port }) => port))];
    for (const port of ports(screens.filter(({ loopback }) => !loopback))) {
      const offered = ways.get(port) ?? [];
      const safe = isRfb(port) && offered.length > 0 && offered.every((way) => encryptingScreens.has(way));
      if (safe) continue;
      // The other protocol encrypts as a rule; from outside of its handshake nobody can tell.
      const what = isRfb(port) ? 'encrypts nothing' : 'may encrypt nothing';
      findings.push({
        severity: 'warns',
        text: `A remote screen on port ${String(port)} is open to everybody on its network and ${what}${offered.includes(SCREEN_WITHOUT_PASSWORD) ? ', and asks for no password' : ''}.`,
        todo: 'Bind it to the board itself (in its settings: localhost only), or switch its encryption on. Should it stay so, say why.',
      });
    }
    for (const port of ports(screens.filter(({ loopback }) => loopback)))
      findings.push({
        severity: 'note',
        text: `${BEHIND}${String(port)} is reached through its login.`,
        todo: `ssh -N -L ${String(port)}:127.0.0.1:${String(port)} ${expected.userName}@${expected.hostName}.local, then open ${screenAddress(port) ?? `127.0.0.1:${String(port)}`}. Hand over, Logging in has both as files.`,
      });
    const grave = findings.filter(({ severity }) => severity === 'warns');
    return grave.length > 0
      ? { verdict: 'differs', text: listed(grave.map((one) => one.text.replace(/\.$/, ''))) + '.', findings }
      : well('Nobody reaches its remote screen but through its login, or encrypted.', findings);
  },
  change: null,
  byHand: '',
  last: false,
  minutes: 0,
};
