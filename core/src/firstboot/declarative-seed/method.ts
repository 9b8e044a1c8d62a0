import { allBut } from '../carried';
import { hasName } from '../boot-files';
import { USUAL_LABEL } from '../../system/cloud-init';
import { isWithout } from '../../system/facts';
import { commonLacks, missing, seedNetworkLacks } from '../lacks';
import { seedFiles } from '../file-names';
import type { FirstBootMethod } from '../method';
import { readSeed } from './reads-back';
import { takeSeedOver } from './takes-over';
import { writeSeed } from './writes';

/** A declarative seed, as cloud-init's NoCloud data source reads it. */
export const declarativeSeed: FirstBootMethod = {
  id: 'declarative-seed',
  title: 'Declarative seed (user-data, meta-data, network-config)',

  // netplan knows neither WEP nor names outside UTF-8.
  carries: allBut('wep', 'octets'),
  ownFiles: seedFiles,
  looksFor: 'neither a label nor user-data and meta-data were found',

  async detect({ boot, system }) {
    if (system.seedPlace !== null) return system.seedPlace;
    // What a root file system that could be read denies is not taken from names.
    if (isWithout(system, 'cloudInit') || system.seed?.off) return null;
    const names = new Set((await boot.list()).map((entry) => entry.name.toLowerCase()));
    if (boot.label.toUpperCase() === 'CIDATA') return 'The boot partition is labelled CIDATA.';
    return names.has('user-data') && names.has('meta-data')
      ? 'The boot partition holds user-data and meta-data.'
      : null;
  },

  inert(system) {
    if (isWithout(system, 'cloudInit')) return missing(system, 'cloudInit', 'cloud-init');
    const { seed } = system;
    if (!seed) return null;
    if (seed.off !== '') return `${seed.off} switches its cloud-init off`;
    if (!seed.looked)
      return `its cloud-init looks for settings at ${seed.sources.join(', ')} only, not on the card (${seed.sourcesWhere})`;
    if (system.seedPlace !== null) return null;
    const set = seed.label !== USUAL_LABEL || seed.from !== '';
    if (set && seed.identify)
      return `ds-identify switches its cloud-init off: it looks for the label cidata alone unless datasource_list names NoCloud and nothing else (${seed.labelWhere || seed.fromWhere})`;
    return `its cloud-init looks for a partition labelled ${seed.label}${seed.labelWhere === '' ? '' : ` (${seed.labelWhere})`}, and there is none`;
  },

  lacks: (system) => [...commonLacks(system), ...seedNetworkLacks(system)],

  // Another instance id makes it another instance: what is done once for each is done again (cloud-init, "instance-id").
  again: seedFiles,
  files: writeSeed,

  acts(boot) {
    if (boot.label.toUpperCase() === 'CIDATA') return 'The boot partition is labelled CIDATA.';
    return hasName(boot, 'user-data') || hasName(boot, 'meta-data')
      ? 'There are files of a declarative seed.'
      : null;
  },

  readBack: readSeed,
  takeOver: takeSeedOver,
};
