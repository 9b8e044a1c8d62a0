import { jobScript } from '../job';
import { said, unknown, well, type Judged, type Step } from '../model';
import { aptOptions, packageManager } from '../package-manager';
import { readListeners } from '../readers';

const PACKAGE = 'xrdp';
const SERVICE = 'xrdp.service';
const SETTINGS = '/etc/xrdp/xrdp.ini';
const PORT = 3389;
/** The board itself and nobody else (the settings file’s own examples). */
const ONLY_HERE = `tcp://.:${String(PORT)}`;

/**
 * Prints the settings with one port alone, the board's own; everything else stays as it is. Only the first section is the
 * service's: the ports of the others are those of sessions.
 */
export const BOUND_SCREEN = `awk '
    /^\\[/ { globals = ($0 ~ /^\\[Globals\\]/) }
    globals && /^[ \\t]*port[ \\t]*=/ { if (!told++) print "port=${ONLY_HERE}"; next }
    { print }' ${SETTINGS}`;

/** Ports that the service is told to listen on, by its settings. */
const PORTS = `[ -f ${SETTINGS} ] || exit 3
awk '/^\\[/ { globals = ($0 ~ /^\\[Globals\\]/) } globals && sub(/^[ \\t]*port[ \\t]*=[ \\t]*/, "")' ${SETTINGS}`;

/**
 * The package's own script starts the service, open to everybody, as soon as it is installed: so the service is masked
 * until its settings stand.
 */
const work = `${packageManager}if [ ! -f ${SETTINGS} ] || ! command -v xrdp >/dev/null; then
    phase install
    systemctl mask ${SERVICE}
    dpkg --configure -a --force-confdef --force-confold
    phase download
    fetch -y -q --no-install-recommends ${aptOptions} install ${PACKAGE} xorgxrdp 3>>"$d/status" || {
        phase lists
        lists || end "$?"
        phase install
        fetch -y -q --no-install-recommends ${aptOptions} install ${PACKAGE} xorgxrdp 3>>"$d/status" || end "$?"
    }
fi
phase install
${BOUND_SCREEN} >${SETTINGS}.new && chmod --reference=${SETTINGS} ${SETTINGS}.new && sync ${SETTINGS}.new &&
    mv -f ${SETTINGS}.new ${SETTINGS} || end 5
grep -q '^port=${ONLY_HERE}$' ${SETTINGS} || end 6
systemctl unmask ${SERVICE} || end "$?"
systemctl enable ${SERVICE} || end "$?"
systemctl restart ${SERVICE} || {
    code=$?
    systemctl --no-pager --lines=20 status ${SERVICE}
    end "$code"
}`;

const QUESTIONS = {
  desktop: 'ls /usr/share/xsessions/*.desktop /usr/local/share/xsessions/*.desktop 2>/dev/null | grep .',
  screen: PORTS,
  'screen-tool': 'command -v xrdp',
  'screen-service': `systemctl is-enabled ${SERVICE}; systemctl is-active ${SERVICE}; true`,
  'screen-listens': 'cat /proc/net/tcp; cat /proc/net/tcp6 2>/dev/null; true',
} as const;

const toDo = (text: string): Judged => ({
  verdict: 'to-do',
  text,
  findings: [
    {
      severity: 'warns',
      text,
      todo: `Install ${PACKAGE} with its service masked, put port=${ONLY_HERE} into ${SETTINGS}, and start it.`,
    },
  ],
});

/** A remote screen that nobody reaches but through the board's login, where the plan wants one. */
export const screenSetUp: Step = {
  id: 'screen-set-up',
  title: 'Set up a remote screen',
  why: 'A remote screen that listens on the board alone is reached through its login: encrypted, and by nobody who cannot log in.',
  source: `${PACKAGE}.ini(5), port; systemctl(1), mask; ssh(1), -L`,
  questions: ({ screen }) =>
    screen ? Object.entries(QUESTIONS).map(([id, command]) => ({ id, command, root: id === 'screen' })) : [],
  judge({ answers, expected }) {
    if (!expected.screen) return well('The plan wants no remote screen.');
    if (answers.get('screen-listens')?.code === null || answers.get('screen')?.code === null)
      return unknown('The board did not tell whether it has a remote screen.');
    if (said(answers, 'desktop') === null) {
      const text = 'Its image has no desktop that a remote screen could show.';
      return {
        verdict: 'differs',
        text,
        findings: [
          {
            severity: 'warns',
            text,
            todo: 'Take an image with a desktop, install one by an own step, or leave this step out.',
          },
        ],
      };
    }
    const ports = said(answers, 'screen')?.split('\n');
    if (said(answers, 'screen-tool') === null || !ports) return toDo('No remote screen is installed.');
    if (ports.length !== 1 || ports[0] !== ONLY_HERE)
      return toDo('Its remote screen is not bound to the board itself.');
    const [enabled = '', active = ''] = (said(answers, 'screen-service') ?? '').split('\n');
    if (enabled !== 'enabled') return toDo('Its remote screen does not start with the board.');
    if (active !== 'active') return toDo('Its remote screen is not running.');
    const listens = readListeners(said(answers, 'screen-listens') ?? '').filter(({ port }) => port === PORT);
    // The settings stand, and it still runs with those of before.
    if (listens.length === 0 || listens.some(({ loopback }) => !loopback))
      return toDo('Its remote screen does not listen on the board alone.');
    return well('Its remote screen is reached through its login.');
  },
  change: { kind: 'job', script: jobScript(work), seconds: 1800, fetches: true },
  byHand: `sudo systemctl mask ${SERVICE}; sudo apt-get install ${PACKAGE} xorgxrdp; port=${ONLY_HERE} in ${SETTINGS}; sudo systemctl unmask ${SERVICE}; sudo systemctl enable --now ${SERVICE}`,
  last: false,
  minutes: 2,
};
