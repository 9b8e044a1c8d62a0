import { said, unknown, well, type Step } from '../model';

/** Whether the card's first boot has come to its end, by the sign of whatever took the settings. */
export const firstBoot: Step = {
  id: 'first-boot',
  title: 'First boot finished',
  why: 'What is changed while a first boot is under way is undone by it, or stops it half-way.',
  source:
    'cloud-init documentation, "cloud-init status"; systemctl(1), is-system-running; systemd-run-generator(8)',
  questions: () => [
    { id: 'seed', command: 'cloud-init status', root: false },
    { id: 'seed-off', command: 'ls /etc/cloud/cloud-init.disabled', root: false },
    { id: 'line', command: 'cat /proc/cmdline', root: false },
    { id: 'system', command: 'systemctl is-system-running', root: false },
  ],
  judge({ answers }) {
    const seed = answers.get('seed');
    const status = /status: (\w+)/.exec(seed?.text ?? '')?.[1] ?? '';
    // A script that runs once stands on the kernel's command line until it is done.
    if (/\bsystemd\.run=/.test(said(answers, 'line') ?? ''))
      return { verdict: 'wait', text: 'The script of the first boot is still to run.', findings: [] };
    if (status === 'running' || (status === 'not' && said(answers, 'seed-off') === null))
      return { verdict: 'wait', text: 'cloud-init is still at work.', findings: [] };
    const system = answers.get('system')?.text.trim() ?? '';
    if (system === 'starting' || system === 'initializing')
      return { verdict: 'wait', text: 'The system is still starting.', findings: [] };
    if (status === 'error' || status === 'degraded')
      return {
        verdict: 'differs',
        text: `cloud-init ended with ${status}.`,
        findings: [
          {
            severity: 'warns',
            text: `cloud-init ended with ${status}: something of the first boot did not come true.`,
            todo: 'On the board: sudo cloud-init status --long. Mend what it names, or write the card anew.',
          },
        ],
      };
    if (said(answers, 'line') === null && status === '')
      return unknown('The board did not tell whether its first boot is over.');
    return well(status === 'done' ? 'cloud-init is done.' : 'Nothing of a first boot is under way.');
  },
  change: null,
  byHand: '',
  last: false,
  minutes: 0,
};
