import { hostNameFault } from '../plan/names';
import { userNameFault } from '../access/user-names';

/** A device as the login client has to know it. */
export interface LoginTarget {
  hostName: string;
  mark: string;
  /** `ssh-ed25519 AAAA…`, without comment. */
  hostKey: string;
  /** Null while the device has not been proved on the network. */
  address: string | null;
  port: number;
  userName: string;
  /** Addresses at which its key signed in one search, when there was more than one: its card was copied. */
  copiedTo: readonly string[];
}

const withPort = (host: string, port: number): string => (port === 22 ? host : `[${host}]:${String(port)}`);

/** Text that can stand in a comment: nothing of it can begin a line of its own. */
const shown = (text: string): string => text.replace(/[\x00-\x1f\x7f-\x9f\u2028\u2029]/g, '?').slice(0, 80);

/** `type base64` as OpenSSH has it, and nothing beside it. */
const keyForm = /^[a-z0-9@.-]{1,64} [A-Za-z0-9+/]+={0,2}$/;

/** Why a device cannot stand in a client's file; null when it can. */
function unfit(target: LoginTarget): string | null {
  if (hostNameFault(target.hostName) !== null) return 'its host name is none';
  if (userNameFault(target.userName) === 'form') return 'its user name is none';
  if (!keyForm.test(target.hostKey)) return 'its host key is none';
  if (target.address !== null && !/^[0-9a-fA-F.:]{2,45}$/.test(target.address)) return 'its address is none';
  return null;
}

/** Splits what can be written from what cannot, with a comment for each thing that a person has to know. */
function sorted(targets: readonly LoginTarget[]): { fit: LoginTarget[]; remarks: string } {
  const fit: LoginTarget[] = [];
  let remarks = '';
  for (const target of targets) {
    const fault = unfit(target);
    const who = `${shown(target.hostName)} (mark ${shown(target.mark)})`;
    if (fault === null) fit.push(target);
    else remarks += `# left out: ${who}, since ${fault}\n`;
    if (target.copiedTo.length > 0)
      remarks += `# without address: ${who}, since its card was copied: its key signs at ${target.copiedTo.map(shown).join(' and ')}\n`;
  }
  return { fit, remarks };
}

/**
 * Lines for a known_hosts file (sshd(8), "SSH_KNOWN_HOSTS FILE FORMAT"). The bare host name is listed as well,
 * since the client configuration asks for the key under it whatever the address is. What is not valid is left out, and
 * a comment says so.
 */
export function knownHosts(targets: readonly LoginTarget[]): string {
  const { fit, remarks } = sorted(targets);
  const lines = fit.map((target) => {
    const hosts = [target.hostName, `${target.hostName}.local`, ...(target.address ? [target.address] : [])];
    const names = new Set([target.hostName, ...hosts.map((host) => withPort(host, target.port))]);
    return `${[...names].join(',')} ${target.hostKey} ${shown(target.mark)}\n`;
  });
  return remarks + lines.join('');
}

/**
 * A client configuration (ssh_config(5)): one block for each device that has a name, strict about host keys. What is
 * not valid is left out, and a comment says so.
 * @param knownHostsFile path as the client shall read it
 */
export function sshConfig(targets: readonly LoginTarget[], knownHostsFile: string): string {
  const path = /\s/.test(knownHostsFile) ? `"${knownHostsFile}"` : knownHostsFile;
  const { fit, remarks } = sorted(targets);
  const blocks = fit.map((target) =>
    [
      `# mark ${shown(target.mark)}`,
      `Host ${target.hostName}`,
      `    HostName ${target.address ?? `${target.hostName}.local`}`,
      `    Port ${String(target.port)}`,
      `    User ${target.userName}`,
      `    HostKeyAlias ${target.hostName}`,
      '    HostKeyAlgorithms ssh-ed25519',
      `    UserKnownHostsFile ${path}`,
      '    StrictHostKeyChecking yes',
      '',
    ].join('\n'),
  );
  return remarks + blocks.join('\n');
}
