import { boardConfig, VPN_FILE, VPN_NAME, VPN_PACKAGE, VPN_SERVICE } from '../../vpn/config';
import { jobScript } from '../job';
import { said, unknown, well, type Asked, type BoardFinding, type Judged, type Step } from '../model';
import { aptOptions, packageManager } from '../package-manager';
import { shellWord } from '../../formats/shell/word';

/** Where a new file waits until the service has stopped. */
const NEXT = `${VPN_FILE}.new`;

/**
 * Puts a board's file there, as root. It holds a secret, so it comes with the script and is no word of a program. It
 * takes its place when the service has stopped: where the service runs, it runs with the file that is there.
 */
export const placeVpnFile = (content: string): string => `umask 077
mkdir -p /etc/wireguard && printf %s ${shellWord(content)} >${NEXT} && sync ${NEXT}`;

const work = `${packageManager}if ! command -v wg-quick >/dev/null; then
    phase install
    dpkg --configure -a --force-confdef --force-confold
    phase download
    fetch -y -q --no-install-recommends ${aptOptions} install ${VPN_PACKAGE} 3>>"$d/status" || {
        phase lists
        lists || end "$?"
        phase install
        fetch -y -q --no-install-recommends ${aptOptions} install ${VPN_PACKAGE} 3>>"$d/status" || end "$?"
    }
fi
phase install
systemctl stop ${VPN_SERVICE}
if [ -f ${NEXT} ]; then
    mv -f ${NEXT} ${VPN_FILE} && sync /etc/wireguard || end 5
fi
systemctl enable ${VPN_SERVICE} || end "$?"
systemctl start ${VPN_SERVICE} || {
    code=$?
    systemctl --no-pager --lines=20 status ${VPN_SERVICE}
    end "$code"
}`;

const QUESTIONS = {
  file: `[ -f ${VPN_FILE} ] || exit 3
stat -c '%a %u' ${VPN_FILE}
sed 's/^PrivateKey *=.*/PrivateKey = /' ${VPN_FILE}`,
  key: `sed -n 's/^PrivateKey *= *//p' ${VPN_FILE} | wg pubkey`,
  tool: 'command -v wg-quick',
  service: `systemctl is-enabled ${VPN_SERVICE}; systemctl is-active ${VPN_SERVICE}; true`,
  met: `wg show ${VPN_NAME} latest-handshakes`,
} as const;

/** Seconds after which a tunnel that is spoken in has a new handshake (the protocol's REJECT_AFTER_TIME, from memory). */
const FRESH = 180;

/** Whether the board meets its hub; that it does not is no fault of the board as long as nobody set the hub up. */
function meeting({ answers, now }: Asked, keepAlive: number): BoardFinding[] {
  const at = Number(/\s(\d+)\s*$/.exec(said(answers, 'met') ?? '')?.[1] ?? 0);
  if (at > 0 && (keepAlive === 0 || now - at < FRESH + keepAlive)) return [];
  return [
    {
      severity: 'note',
      text: at > 0 ? 'It met the hub before, and does not any more.' : 'It has not met the hub yet.',
      todo: 'See that the hub runs with the file of Hand over, From outside, that its UDP port is reached, and that the board’s clock is right.',
    },
  ];
}

const toDo = (text: string): Judged => ({
  verdict: 'to-do',
  text,
  findings: [
    { severity: 'warns', text, todo: `Put the board’s file to ${VPN_FILE}, and start ${VPN_SERVICE}.` },
  ],
});

/** The board opens the planned tunnel, and will at each start. */
export const vpnStep: Step = {
  id: 'vpn',
  title: 'VPN',
  why: 'A board behind somebody’s router is reached through the tunnel that it opens itself, and no port of the router is opened for it.',
  source: 'wg(8), wg-quick(8), systemctl(1)',
  questions: ({ vpn }) =>
    vpn.member === null
      ? []
      : [
          { id: 'file', command: QUESTIONS.file, root: true },
          { id: 'key', command: QUESTIONS.key, root: true },
          { id: 'tool', command: QUESTIONS.tool, root: false },
          { id: 'service', command: QUESTIONS.service, root: false },
          { id: 'met', command: QUESTIONS.met, root: true },
        ],
  judge(asked) {
    const { answers, expected } = asked;
    const { member: vpn, lacks } = expected.vpn;
    if (lacks !== '')
      return {
        verdict: 'differs',
        text: lacks,
        findings: [
          { severity: 'warns', text: lacks, todo: 'Complete the VPN in the plan, or leave this step out.' },
        ],
      };
    if (vpn === null) return well('The plan has no VPN.');
    if (answers.get('tool')?.code === null || answers.get('file')?.code === null)
      return unknown('The board did not tell whether it has a VPN.');
    if (said(answers, 'tool') === null) return toDo('The programs of the VPN are not installed.');
    const file = said(answers, 'file');
    if (file === null) return toDo('The board has no file of the VPN.');
    const [rights = '', ...lines] = file.split('\n');
    const planned = boardConfig({ ...vpn, privateKey: '' });
    const same =
      lines
        .map((line) => line.trimEnd())
        .join('\n')
        .trim() ===
      planned
        .split('\n')
        .map((line) => line.trimEnd())
        .join('\n')
        .trim();
    if (!same || said(answers, 'key') !== vpn.publicKey)
      return toDo('The board’s file of the VPN is another than the planned one.');
    if (rights !== '600 0') return toDo('Others than root can read the board’s file of the VPN.');
    const [enabled = '', active = ''] = (said(answers, 'service') ?? '').split('\n');
    if (enabled !== 'enabled') return toDo('The VPN does not start with the board.');
    if (active !== 'active') return toDo('The VPN is not running.');
    return well(`It opens the VPN as ${vpn.address}.`, meeting(asked, vpn.keepAlive));
  },
  change: { kind: 'vpn', script: jobScript(work), seconds: 1800 },
  byHand: `sudo apt-get install ${VPN_PACKAGE}, the board’s file to ${VPN_FILE} with mode 600, then sudo systemctl enable --now ${VPN_SERVICE}`,
  last: false,
  minutes: 0.5,
};
