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
}

const withPort = (host: string, port: number): string => (port === 22 ? host : `[${host}]:${String(port)}`);

/**
 * Lines for a known_hosts file (sshd(8), "SSH_KNOWN_HOSTS FILE FORMAT"). The bare host name is listed as well,
 * since the client configuration asks for the key under it whatever the address is.
 */
export function knownHosts(targets: readonly LoginTarget[]): string {
  return targets
    .map((target) => {
      const hosts = [
        target.hostName,
        `${target.hostName}.local`,
        ...(target.address ? [target.address] : []),
      ];
      const names = new Set([target.hostName, ...hosts.map((host) => withPort(host, target.port))]);
      return `${[...names].join(',')} ${target.hostKey} ${target.mark}\n`;
    })
    .join('');
}

/**
 * A client configuration (ssh_config(5)): one block for each device that has a name, strict about host keys.
 * @param knownHostsFile path as the client shall read it
 */
export function sshConfig(targets: readonly LoginTarget[], knownHostsFile: string): string {
  const path = /\s/.test(knownHostsFile) ? `"${knownHostsFile}"` : knownHostsFile;
  return targets
    .map((target) =>
      [
        `# mark ${target.mark}`,
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
    )
    .join('\n');
}
