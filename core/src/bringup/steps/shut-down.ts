import { said, unknown, type Step } from '../model';

/** Shuts the board down properly, so that its power can be cut. */
export const shutDown: Step = {
  id: 'shut-down',
  title: 'Shut down',
  why: 'Power that is cut while a board writes can spoil its card.',
  source: 'systemctl(1), poweroff',
  questions: () => [{ id: 'jobs', command: 'systemctl is-active nest-mark-job.service', root: false }],
  judge({ answers }) {
    if (answers.get('jobs')?.code === null) return unknown('The board did not answer.');
    if (said(answers, 'jobs') === 'active')
      return { verdict: 'wait', text: 'Work on its packages is under way.', findings: [] };
    return { verdict: 'to-do', text: 'It runs.', findings: [] };
  },
  change: { kind: 'shut-down' },
  byHand: 'sudo systemctl poweroff; then wait until its light is quiet, 10 s at least',
  last: true,
  minutes: 0.3,
};
