import { isSix } from '../net/subnet';
import { inComment } from '../plain-name';

/**
 * The tunnel's files (wg(8), "CONFIGURATION FILE FORMAT"; wg-quick(8), "CONFIGURATION"). Boards open nothing: they speak
 * to the hub, and the hub alone is reached from outside, by UDP. Nothing but the tunnel's own range goes through it, so a
 * hub that is away takes nobody's network along.
 */

/** The tunnel's name on every computer: of its interface, its file and its service. */
export const VPN_NAME = 'nest-mark';
export const VPN_FILE = `/etc/wireguard/${VPN_NAME}.conf`;
export const VPN_SERVICE = `wg-quick@${VPN_NAME}.service`;
/**
 * The tunnel's name on its hub, where those of several batches can run side by side: an interface has a name of 15
 * characters at most (IFNAMSIZ, netdevice(7)). @param slug the batch's name as part of a file's name
 */
export const hubName = (slug: string): string => `nm-${slug.slice(0, 12)}`.replace(/[-.]+$/, '');
/** The Debian package that the programs come in. */
export const VPN_PACKAGE = 'wireguard-tools';

/** What a board is told of the tunnel, without its secret. */
export interface VpnMember {
  /** Its own address inside. */
  address: string;
  /** Public half of its key. */
  publicKey: string;
  hubKey: string;
  /** Name or address, and UDP port. */
  hub: string;
  port: number;
  /** The whole range, in CIDR form. */
  network: string;
  keepAlive: number;
}

/** The same with its secret. */
export interface VpnBoard extends VpnMember {
  privateKey: string;
}

/** A board as the hub knows it. */
export interface VpnPeer {
  hostName: string;
  mark: string;
  address: string;
  publicKey: string;
}

/** A hub's place as the file has it. */
const endpoint = (hub: string, port: number): string => `${isSix(hub) ? `[${hub}]` : hub}:${String(port)}`;

const prefix = (network: string): string => network.trim().split('/')[1] ?? '32';

/** The file of a board. @param board with an empty private key where that may not be seen */
export const boardConfig = (board: VpnBoard): string => `[Interface]
PrivateKey = ${board.privateKey}
Address = ${board.address}/${prefix(board.network)}

[Peer]
PublicKey = ${board.hubKey}
Endpoint = ${endpoint(board.hub.trim(), board.port)}
AllowedIPs = ${board.network.trim()}
${board.keepAlive === 0 ? '' : `PersistentKeepalive = ${String(board.keepAlive)}\n`}`;

/** What the hub's file is made of. */
export interface VpnHub {
  privateKey: string;
  address: string;
  port: number;
  network: string;
  boards: readonly VpnPeer[];
}

/** The file of the hub: each board may use its own address alone. */
export const hubConfig = ({ privateKey, address, port, network, boards }: VpnHub): string =>
  [
    `[Interface]
PrivateKey = ${privateKey}
Address = ${address}/${prefix(network)}
ListenPort = ${String(port)}
`,
    ...boards.map(
      (board) => `# ${inComment(board.hostName)}, mark ${inComment(board.mark)}
[Peer]
PublicKey = ${board.publicKey}
AllowedIPs = ${board.address}/32
`,
    ),
  ].join('\n');
