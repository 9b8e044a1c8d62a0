import { allBut } from '../carried';
import { isWith, isWithout } from '../../system/facts';
import { commonLacks, keyfileLacks } from '../lacks';
import type { FirstBootMethod } from '../method';
import { readRunOnce, startOf } from './reads-back';
import { takeRunOnceOver } from './takes-over';
import { writeRunOnce } from './writes';

/** A script that the kernel's command line starts once. */
export const runOnce: FirstBootMethod = {
  id: 'run-once',
  title: 'Run-once script (started from the kernel’s command line)',
  // The network is not up yet when it runs.
  carries: allBut('refresh', 'packages'),
  ownFiles: [],
  looksFor: 'no command line, systemd and NetworkManager together were found',

  detect({ system }) {
    const { kernelLine } = system;
    // Without NetworkManager the script would do half of its work.
    const fits = kernelLine && isWith(system, 'startsPrograms') && isWith(system, 'networkManager');
    return Promise.resolve(
      fits
        ? `${kernelLine.path} holds the kernel’s command line, and the system can run a program from it and has NetworkManager.`
        : null,
    );
  },

  inert(system) {
    if (system.kernelLine === null)
      return 'no file of its boot partition is read as the kernel’s command line';
    return isWithout(system, 'startsPrograms')
      ? `it cannot start a program from the kernel’s command line (${system.abilities.startsPrograms?.where ?? ''})`
      : null;
  },

  lacks: (system) => [...commonLacks(system), ...keyfileLacks(system)],

  again: null,
  files: writeRunOnce,

  acts(boot) {
    const start = startOf(boot);
    if (start.run !== null) return `${start.path ?? ''} starts ${start.run}.`;
    return start.script === null ? null : `There is ${start.script}, a script that runs once.`;
  },

  readBack: readRunOnce,
  takeOver: takeRunOnceOver,
};
