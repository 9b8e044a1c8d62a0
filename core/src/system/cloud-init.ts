import { parse } from 'yaml';
import * as z from 'zod';
import type { ExtVolume } from '../disk/ext/volume';
import type { SystemFacts } from './facts';

/**
 * cloud-init's own configuration (cloud-init documentation, "Base configuration" and "NoCloud"): cloud.cfg with the files
 * of cloud.cfg.d laid over it in the order of their names; of two lists the later one holds.
 */

const BASE = '/etc/cloud/cloud.cfg';
const PARTS = '/etc/cloud/cloud.cfg.d';
const OFF = '/etc/cloud/cloud-init.disabled';
const IDENTIFY = '/usr/lib/cloud-init/ds-identify';
/** Folders that are taken for a seed where they are there; images make them links to the boot partition. */
const seedFolders = ['/var/lib/cloud/seed/nocloud', '/var/lib/cloud/seed/nocloud-net'];
/** Label that is looked for where nothing else is said. */
export const USUAL_LABEL = 'cidata';

const ConfigSchema = z.object({
  datasource_list: z.array(z.string()).optional().catch(undefined),
  datasource: z
    .object({
      NoCloud: z
        .object({ fs_label: z.string().optional(), seedfrom: z.string().optional() })
        .nullish()
        .catch(undefined),
    })
    .nullish()
    .catch(undefined),
});

/** The configuration of one file; nothing where it is no YAML or no mapping, as cloud-init takes it. */
function configOf(text: string): z.infer<typeof ConfigSchema> {
  try {
    return ConfigSchema.safeParse(parse(text, { version: '1.1' })).data ?? {};
  } catch {
    return {};
  }
}

/** How cloud-init of an image finds its seed. @throws DiskError */
export async function readSeedSearch(root: ExtVolume): Promise<NonNullable<SystemFacts['seed']>> {
  const parts = (await root.list(PARTS)).filter((name) => name.endsWith('.cfg')).sort();
  const found: NonNullable<SystemFacts['seed']> = {
    label: USUAL_LABEL,
    labelWhere: '',
    looked: true,
    sources: [],
    sourcesWhere: '',
    from: '',
    fromWhere: '',
    identify: (await root.stat(IDENTIFY)) !== null,
    off: (await root.stat(OFF)) ? OFF : '',
  };
  for (const path of [BASE, ...parts.map((name) => `${PARTS}/${name}`)]) {
    const bytes = await root.readFile(path);
    if (!bytes) continue;
    const { datasource_list: sources, datasource } = configOf(new TextDecoder().decode(bytes));
    if (sources) Object.assign(found, { sources, sourcesWhere: path });
    const label = datasource?.NoCloud?.fs_label;
    if (label !== undefined) Object.assign(found, { label: label.toLowerCase(), labelWhere: path });
    const from = datasource?.NoCloud?.seedfrom;
    if (from !== undefined) Object.assign(found, { from, fromWhere: path });
  }
  for (const folder of seedFolders) {
    const target = await root.readLink(folder);
    if (target !== null) Object.assign(found, { from: target, fromWhere: folder });
  }
  found.looked = found.sources.length === 0 || found.sources.includes('NoCloud');
  return found;
}
