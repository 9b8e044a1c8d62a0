import { boardConfig, VPN_FILE, VPN_PACKAGE, VPN_SERVICE } from '../vpn/config';
import type { FirstBootSettings } from './settings';

/** Where the programs are not there, whoever brings the board up installs them and does this. */
const START = `if command -v wg-quick >/dev/null; then systemctl enable --now ${VPN_SERVICE}; fi`;

/** Settings in which the board's file of the tunnel, its programs and its start are what any method can carry. */
export function withVpn(settings: FirstBootSettings): FirstBootSettings {
  const { vpn, files, packages, commands } = settings;
  if (!vpn) return settings;
  return {
    ...settings,
    files: [
      ...files.filter(({ place, path }) => !(place === 'board' && path === VPN_FILE)),
      { place: 'board', path: VPN_FILE, content: boardConfig(vpn), mode: '0600' },
    ],
    packages: packages.includes(VPN_PACKAGE) ? packages : [...packages, VPN_PACKAGE],
    commands: [...commands, START],
  };
}
