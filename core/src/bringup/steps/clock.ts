import { said, unknown, well, type Step } from '../model';

/** Seconds by which a board's clock may be wrong: certificates and repositories are refused by more. */
const TOLERATED = 30;

const apart = (seconds: number): string =>
  seconds < 120 ? `${String(Math.round(seconds))} s` : `${String(Math.round(seconds / 60))} min`;

/** Whether the board knows what time it is. */
export const clockStep: Step = {
  id: 'clock',
  title: 'Clock right',
  why: 'With a wrong clock package lists count as expired and certificates as not yet valid. Many boards have no clock that runs on without power.',
  source: 'timedatectl(1); date(1)',
  questions: () => [
    { id: 'date', command: 'date +%s', root: false },
    { id: 'synchronised', command: 'timedatectl show -p NTPSynchronized --value', root: false },
    { id: 'keeps', command: 'timedatectl show -p NTP --value', root: false },
  ],
  judge({ answers, now }) {
    const told = Number(said(answers, 'date') ?? NaN);
    if (!Number.isFinite(told)) return unknown('The board did not tell its time.');
    const off = Math.abs(told - now);
    const synchronised = said(answers, 'synchronised');
    if (off <= TOLERATED)
      return well(
        `Right within ${String(TOLERATED)} s${synchronised === 'yes' ? ', and kept right from the network' : ''}.`,
        synchronised === 'no' && said(answers, 'keeps') === 'no'
          ? [
              {
                severity: 'note',
                text: 'Nothing keeps the clock right from the network.',
                todo: 'sudo timedatectl set-ntp true',
              },
            ]
          : [],
      );
    return {
      verdict: 'to-do',
      text: `The board’s clock is ${apart(off)} ${told < now ? 'slow' : 'fast'}.`,
      findings: [
        {
          severity: 'warns',
          text: `The board’s clock is ${apart(off)} ${told < now ? 'slow' : 'fast'}.`,
          todo: 'Give it a way to a time server: UDP port 123, or one of the network’s own.',
        },
      ],
    };
  },
  change: {
    kind: 'commands',
    // Asking again is harmless; then it is given a little time to step.
    command: `timedatectl set-ntp true
try=0
while [ "$try" -lt 20 ] && [ "$(timedatectl show -p NTPSynchronized --value)" != yes ]; do
    sleep 1
    try=$((try + 1))
done`,
    root: true,
    seconds: 40,
  },
  byHand: 'sudo timedatectl set-ntp true',
  last: false,
  minutes: 0.3,
};
