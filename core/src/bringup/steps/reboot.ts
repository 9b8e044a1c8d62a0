import { listed } from '../../listed';
import { said, unknown, well, type Step } from '../model';

/** A kernel's version and, behind it, its flavour: `6.1.0-21` and `-amd64`. */
const parted = (name: string): { version: string; flavour: string } => {
  const [version = ''] = /^\d+(?:\.\d+)*(?:-\d+(?=-|$))?/.exec(name) ?? [];
  return { version, flavour: name.slice(version.length) };
};

const numbers = (version: string): number[] => version.split(/[.-]/).map(Number);

/** Whether one version is newer, number by number. */
function isNewer(one: string, than: string): boolean {
  const [a, b] = [numbers(one), numbers(than)];
  for (let at = 0; at < Math.max(a.length, b.length); at++) {
    const difference = (a[at] ?? 0) - (b[at] ?? 0);
    if (difference !== 0) return difference > 0;
  }
  return false;
}

/**
 * The newest kernel of the running one's flavour, where it is newer than that one. Images bring kernels for several
 * kinds of board along; those of another flavour never run here.
 */
function newerKernel(running: string, installed: readonly string[]): string | null {
  const now = parted(running);
  let newest: string | null = null;
  for (const name of installed) {
    const { version, flavour } = parted(name);
    if (version === '' || flavour !== now.flavour) continue;
    if (isNewer(version, newest === null ? now.version : parted(newest).version)) newest = name;
  }
  return newest;
}

/** Starts the board anew where something asks for it. */
export const reboot: Step = {
  id: 'reboot',
  title: 'Reboot',
  why: 'A new kernel and new boot lines are not in force before; and whoever has seen a board come back once need not wonder in the field.',
  source: 'Debian policy manual and update-notifier’s /run/reboot-required; uname(1); bootparam(7)',
  questions: () => [
    { id: 'required', command: 'ls /run/reboot-required', root: false },
    { id: 'packages', command: 'sort -u /run/reboot-required.pkgs', root: false },
    { id: 'kernel', command: 'uname -r; ls -1 /lib/modules 2>/dev/null; true', root: false },
    { id: 'jobs', command: 'systemctl is-active nest-mark-job.service', root: false },
  ],
  judge({ answers }) {
    if (said(answers, 'kernel') === null) return unknown('The board did not tell which kernel it runs.');
    if (said(answers, 'jobs') === 'active')
      return { verdict: 'wait', text: 'Work on its packages is under way.', findings: [] };
    const packages = (said(answers, 'packages') ?? '').split('\n').filter((line) => line !== '');
    const asks = packages.length > 0 ? `: ${listed(packages.slice(0, 3))}` : '';
    const [running = '', ...installed] = (said(answers, 'kernel') ?? '').split('\n');
    const newer = newerKernel(running, installed);
    const due =
      said(answers, 'required') !== null
        ? `It asks for a reboot${asks}.`
        : newer === null
          ? null
          : `It runs the kernel ${running}, and has ${newer}.`;
    if (due === null) return well('Nothing asks for a reboot.');
    return {
      verdict: 'to-do',
      text: due,
      findings: [{ severity: 'warns', text: due, todo: 'sudo systemctl reboot' }],
    };
  },
  change: { kind: 'reboot' },
  byHand: 'sudo systemctl reboot',
  last: false,
  minutes: 1,
};
