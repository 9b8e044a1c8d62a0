import { hmac } from '@noble/hashes/hmac.js';
import { sha1 } from '@noble/hashes/legacy.js';
import { toBase64, utf8 } from '../bytes';
import { comments, sortFit, type HandoverDevice } from './device';
import { inComment } from '../plain-name';

const withPort = (host: string, port: number): string => (port === 22 ? host : `[${host}]:${String(port)}`);

/** The names under which a client may ask for the key of a device, the bare host name first. */
export function knownNames(device: HandoverDevice): string[] {
  const { hostName, address, vpnAddress, port } = device;
  const places = [address, vpnAddress].filter((place) => place !== null);
  const hosts = [hostName, `${hostName}.local`, ...places];
  return [...new Set([hostName, ...hosts.map((host) => withPort(host, port))])];
}

/**
 * A name as known_hosts keeps it where nobody shall read it: HMAC-SHA1 of the name under a salt of 20 octets
 * (sshd(8), "SSH_KNOWN_HOSTS FILE FORMAT"; the form as ssh-keygen -H writes it).
 */
export const hashedName = (name: string, salt: Uint8Array): string =>
  `|1|${toBase64(salt)}|${toBase64(hmac(sha1, salt, utf8(name)))}`;

/** How the lines of known_hosts are written. */
export interface KnownHostsForm {
  /** Gives 20 random octets at each call; null for names in the clear. */
  salt: (() => Uint8Array) | null;
}

/** The lines of one device, without their ends. */
export function knownHostsLines(device: HandoverDevice, { salt }: KnownHostsForm): string[] {
  const names = knownNames(device);
  const end = `${device.hostKey} ${inComment(device.mark)}`;
  // A hashed name stands alone in its line.
  return salt === null
    ? [`${names.join(',')} ${end}`]
    : names.map((name) => `${hashedName(name, salt())} ${end}`);
}

/**
 * Lines for a known_hosts file (sshd(8), "SSH_KNOWN_HOSTS FILE FORMAT"). The bare host name is listed as well,
 * since the client configuration asks for the key under it whatever the address is. What is not valid is left out, and
 * a comment says so.
 */
export function knownHosts(
  devices: readonly HandoverDevice[],
  form: KnownHostsForm = { salt: null },
): string {
  const { fit, remarks } = sortFit(devices);
  return (
    comments('#', remarks) +
    fit.flatMap((device) => knownHostsLines(device, form).map((line) => `${line}\n`)).join('')
  );
}

/** A computer through which boards are reached: `user@host:port`, user and port left out where they are usual. */
const jumpForm =
  /^(?:[A-Za-z_][A-Za-z0-9_.-]{0,31}@)?(?:[A-Za-z0-9](?:[A-Za-z0-9.-]{0,252}[A-Za-z0-9])?|\[[0-9A-Fa-f:.]{2,45}\])(?::([1-9]\d{0,4}))?$/;
export const isJumpHost = (text: string): boolean => {
  const found = jumpForm.exec(text);
  return found !== null && Number(found[1] ?? 22) <= 65_535;
};

export interface SshConfigForm {
  /** Path of the known hosts as the client shall read it. */
  knownHostsFile: string;
  /** As `isJumpHost` takes it; empty for none. */
  jump: string;
}

/** A word as ssh_config(5) reads it: in quotes where it has blanks. */
const configWord = (text: string): string => (/\s/.test(text) ? `"${text}"` : text);

/** Carries ports of a board's loopback to this computer's, and asks for nothing else (ssh_config(5), LocalForward, SessionType). */
const carried = (ports: readonly number[]): string[] => [
  ...ports.map((port) => `    LocalForward 127.0.0.1:${String(port)} 127.0.0.1:${String(port)}`),
  '    ExitOnForwardFailure yes',
  '    SessionType none',
];

/**
 * A client configuration (ssh_config(5)): one block for each device and user, strict about host keys. The first user of
 * a device is reached by its host name, the others as `user.name`, and the first as `vpn.name` through a tunnel. What is not valid is left out, and a comment says so.
 */
export function sshConfig(devices: readonly HandoverDevice[], form: SshConfigForm): string {
  const { fit, remarks } = sortFit(devices);
  const block = (
    device: HandoverDevice,
    alias: string,
    user: string,
    { address = device.address, more = [] }: { address?: string | null; more?: readonly string[] } = {},
  ): string =>
    [
      `# mark ${inComment(device.mark)}`,
      `Host ${alias}`,
      `    HostName ${address ?? `${device.hostName}.local`}`,
      `    Port ${String(device.port)}`,
      `    User ${user}`,
      `    HostKeyAlias ${device.hostName}`,
      '    HostKeyAlgorithms ssh-ed25519',
      `    UserKnownHostsFile ${configWord(form.knownHostsFile)}`,
      '    StrictHostKeyChecking yes',
      ...(form.jump === '' ? [] : [`    ProxyJump ${form.jump}`]),
      ...more,
      '',
    ].join('\n');
  const blocks = fit.flatMap((device) => [
    block(device, device.hostName, device.userName),
    ...(device.vpnAddress === null || device.otherUsers.includes('vpn')
      ? []
      : [block(device, `vpn.${device.hostName}`, device.userName, { address: device.vpnAddress })]),
    ...(device.screens.length === 0 || device.otherUsers.includes('screen')
      ? []
      : [block(device, `screen.${device.hostName}`, device.userName, { more: carried(device.screens) })]),
    ...device.otherUsers
      .filter((user) => /^[a-z_][a-z0-9_-]{0,31}$/.test(user) && user !== device.userName)
      .map((user) => block(device, `${user}.${device.hostName}`, user)),
  ]);
  return comments('#', remarks) + blocks.join('\n');
}
