import { listed } from '../../listed';
import { said, unknown, well, type Step } from '../model';

/** Starts the board anew where something asks for it. */
export const reboot: Step = {
  id: 'reboot',
  title: 'Reboot',
  why: 'A new kernel and new boot lines are not in force before; and whoever has seen a board come back once need not wonder in the field.',
  source: 'Debian policy manual and update-notifier’s /run/reboot-required; uname(1); bootparam(7)',
  questions: () => [
    { id: 'required', command: 'ls /run/reboot-required', root: false },
    { id: 'packages', command: 'sort -u /run/reboot-required.pkgs', root: false },
    // The modules of the running kernel, and the newest ones there are.
    { id: 'kernel', command: 'uname -r; ls -1 /lib/modules 2>/dev/null | sort -V | tail -n 1', root: false },
    { id: 'jobs', command: 'systemctl is-active nest-mark-job.service', root: false },
  ],
  judge({ answers }) {
    if (said(answers, 'kernel') === null) return unknown('The board did not tell which kernel it runs.');
    if (said(answers, 'jobs') === 'active')
      return { verdict: 'wait', text: 'Work on its packages is under way.', findings: [] };
    const packages = (said(answers, 'packages') ?? '').split('\n').filter((line) => line !== '');
    const asks = packages.length > 0 ? `: ${listed(packages.slice(0, 3))}` : '';
    const [running = '', newest = ''] = (said(answers, 'kernel') ?? '').split('\n');
    const due =
      said(answers, 'required') !== null
        ? `It asks for a reboot${asks}.`
        : newest !== '' && running !== '' && newest !== running
          ? `It runs the kernel ${running}, and has ${newest}.`
          : null;
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
