import type { Expected } from '../bringup/expected';
import { listed } from '../listed';
import { publicAmong } from './inside';
import type { ExposureFinding, FoundOpen, ReachedPort } from './model';
import { usualAt } from './ports';

const network = 'everybody on the board’s network';
const forward =
  'Never forward a port of the router to it: reach it through a private network of your own instead.';

const screen = ({ port, encrypted, asksLogin }: ReachedPort): ExposureFinding | null =>
  encrypted === true
    ? null
    : {
        id: 'screen-open',
        severity: asksLogin === false ? 'grave' : 'warns',
        text: `A remote screen answers on port ${String(port)}${encrypted === false ? ' and encrypts nothing' : ''}${asksLogin === false ? ', and asks for no password' : ''}.`,
        toWhom: `${network} sees and types there`,
        todo: 'Bind it to the board itself and reach it through its login (Bring up tells the command), or switch its encryption and its password on.',
      };

/** What speaks on a port, as a finding; null for what is as it should be. */
function ofPort(reached: ReachedPort, loginPort: number): ExposureFinding | null {
  const { port, speaks, encrypted, asksLogin, said } = reached;
  const at = `port ${String(port)}`;
  switch (speaks) {
    case 'ssh':
      return port === loginPort
        ? null
        : {
            id: 'second-login',
            severity: 'note',
            text: `A second login service answers on ${at}.`,
            toWhom: `${network} reaches it`,
            todo: 'If nobody put it there, look what it is: sudo ss -ltnp',
          };
    case 'rfb':
    case 'rdp':
      return screen(reached);
    case 'telnet':
      return {
        id: 'plain-login',
        severity: 'grave',
        text: `A login without any encryption answers on ${at}.`,
        toWhom: `${network} reads the password of whoever uses it`,
        todo: 'Take the program off the board; its login by SSH does the same.',
      };
    case 'ftp':
      return {
        id: 'plain-files',
        severity: 'warns',
        text: `File transfer without encryption answers on ${at}.`,
        toWhom: `${network} reads the password and the files`,
        todo: 'Take it off, and use scp or sftp, which the login service brings.',
      };
    case 'redis':
    case 'database':
      return {
        id: 'data-open',
        severity: asksLogin === false ? 'grave' : 'warns',
        text: `A ${speaks === 'redis' ? 'key store' : 'database'} answers on ${at}${asksLogin === false ? ' and asks for no login' : ''}.`,
        toWhom: `${network} reaches it`,
        todo: 'Bind it to 127.0.0.1 in its own settings; programs on the board reach it there.',
      };
    case 'mqtt':
      return asksLogin === false
        ? {
            id: 'broker-open',
            severity: 'warns',
            text: `A message broker on ${at} takes everybody in without a login.`,
            toWhom: `${network} reads and sends messages`,
            todo: 'Give it a password file and switch anonymous clients off, or bind it to 127.0.0.1.',
          }
        : null;
    case 'http':
      if (asksLogin === false)
        return {
          id: 'page-open',
          severity: 'warns',
          text: `An application’s pages on ${at} open without a login${encrypted === false ? ' and without encryption' : ''}.`,
          toWhom: `${network} reaches it`,
          todo: `Set a password in the application, or bind it to 127.0.0.1 and reach it through the login: ssh -L ${String(port)}:127.0.0.1:${String(port)} …`,
        };
      return encrypted === false
        ? {
            id: 'page-plain',
            severity: 'note',
            text: `An application on ${at} asks for a login and encrypts nothing.`,
            toWhom: `${network} can read that password`,
            todo: 'Switch its encryption on, or reach it through the board’s login.',
          }
        : null;
    default:
      return {
        id: 'port-open',
        severity: 'note',
        text: `Something answers on ${at} (usually ${usualAt(port)})${said === '' ? '' : `: “${said}”`}.`,
        toWhom: `${network} reaches it`,
        todo: 'If nobody put it there, look what it is: sudo ss -ltnp',
      };
  }
}

/**
 * What is open on a board, gravest first. Each thing is told once, whether it was seen from outside or inside.
 */
export function judgeExposure(
  found: FoundOpen,
  expected: Expected,
  /** Whether the bench's own key is on the board by what is on record; it counts where the board was not asked. */
  benchKeyOnRecord = false,
): ExposureFinding[] {
  const findings: ExposureFinding[] = [];
  const { inside } = found;
  if (found.loginWays.includes('none'))
    findings.push({
      id: 'no-login',
      severity: 'grave',
      text: `Its login service lets ${expected.userName} in without anything.`,
      toWhom: `${network} reaches it`,
      todo: 'PermitEmptyPasswords no in a file of /etc/ssh/sshd_config.d, and a password or a key for the user.',
    });
  const byPassword =
    found.loginWays.includes('password') ||
    found.loginWays.includes('keyboard-interactive') ||
    inside?.passwordLogin === true;
  if (byPassword)
    findings.push({
      id: 'password-login',
      severity: expected.passwordLogin ? 'note' : 'warns',
      text: expected.passwordLogin
        ? 'It lets people in by password, as it is planned.'
        : 'It lets people in by password, and planned is by key alone.',
      toWhom: `${network} can try passwords`,
      todo: expected.passwordLogin
        ? 'A key is safer: put keys into the plan and switch password login off there.'
        : 'PasswordAuthentication no and KbdInteractiveAuthentication no in a file of /etc/ssh/sshd_config.d, then reload the service.',
    });
  if (inside) {
    for (const name of inside.open)
      findings.push({
        id: 'no-password',
        severity: 'grave',
        text: `The account ${name} has an empty password.`,
        toWhom: 'whoever reaches a login of any kind gets in',
        todo: `sudo passwd -l ${name}`,
      });
    for (const { name, ways } of inside.strangers)
      findings.push({
        id: 'account',
        severity: 'grave',
        text: `The account ${name} is not in the plan and is let in by ${listed(ways)}.`,
        toWhom: 'whoever knows it gets in: such accounts come with images, and their passwords are known',
        todo: `sudo usermod --lock --expiredate 1 ${name}`,
      });
    for (const { name, keys } of inside.moreKeys)
      findings.push({
        id: 'more-keys',
        severity: 'warns',
        text: `${name} lets in ${String(keys)} ${keys === 1 ? 'key that is' : 'keys that are'} not in the plan.`,
        toWhom: 'whoever has the private half gets in',
        todo: `Look at ~${name}/.ssh/authorized_keys; put the key into the plan or take it out there.`,
      });
    if (inside.rootByPassword === true)
      findings.push({
        id: 'root-password',
        severity: 'warns',
        text: 'Root may log in by password.',
        toWhom: `${network} can try passwords`,
        todo: 'PermitRootLogin prohibit-password in a file of /etc/ssh/sshd_config.d',
      });
  }
  if (inside?.benchKey ?? benchKeyOnRecord)
    findings.push({
      id: 'bench-key',
      severity: 'warns',
      text: 'The bench’s own key was not taken off it.',
      toWhom: 'whoever has this bench gets in',
      todo: 'Bring up takes it off as its last step.',
    });
  for (const reached of found.ports) {
    const finding = ofPort(reached, found.port);
    if (finding) findings.push(finding);
  }
  const seen = new Set([found.port, ...found.ports.map(({ port }) => port)]);
  const hidden = (inside?.listening ?? []).filter((port) => !seen.has(port) && port !== 22);
  if (hidden.length > 0)
    findings.push({
      id: 'listens',
      severity: 'note',
      text: `It also listens on ${hidden.length === 1 ? 'port' : 'ports'} ${listed(hidden.map(String))}, which did not answer from here.`,
      toWhom: 'whoever its own firewall lets through reaches it',
      todo: 'If nobody put that there, look what it is: sudo ss -ltnp',
    });
  const open = [...new Set([...publicAmong([found.address]), ...(inside?.publicAddresses ?? [])])];
  if (open.length > 0)
    findings.push({
      id: 'public-address',
      severity: findings.some(({ severity }) => severity !== 'note') ? 'grave' : 'note',
      text: `It has ${open.length === 1 ? 'an address' : 'addresses'} that the whole internet can reach: ${listed(open)}.`,
      toWhom: 'everybody in the world reaches it, unless a router in between refuses them',
      todo: `Ask who runs the network for a firewall in front of it. ${forward}`,
    });
  const rank = { grave: 0, warns: 1, note: 2 };
  return findings.sort((one, other) => rank[one.severity] - rank[other.severity]);
}

/** Why not to forward a port, and what to do instead; shown beside every report. */
export const whyNotForward = [
  'A port that a router forwards is found within hours by programs that try every address there is, and is then tried day and night.',
  'Instead, let the boards reach out to a private network of your own, by a VPN of which only a hub of yours is reached (Hand over, From outside): then nothing on them is open to the internet.',
  'Whatever is reached from elsewhere needs a password of its own on the board and on its application, also behind a VPN.',
] as const;
