import type { DeviceProgress, HeardHost, Match, Sighting, Watch } from '@nest-mark/core';
import { reckonUnproved, tellProved, type Host, type Reckoned } from '@nest-mark/core/find';
import type { Before } from './before-repository';
import type { Finding } from './domain';
import { makerNow } from './makers';

/** Seconds of a usual first boot, where only the window of an arrival is asked about (common practice). */
const BOOT_SECONDS = 90;
/** Hosts that are told one by one. */
const HOSTS_TOLD = 200;
/** Times that a host asks for an address before that is worth a word. */
const ASKS_OFTEN = 3;

/** What a listening came to, beside the proofs. */
export interface Heard {
  devices: ReadonlyMap<string, DeviceProgress['heard']>;
  hosts: readonly Host[];
  views: HeardHost[];
}

const nothing: Heard = { devices: new Map(), hosts: [], views: [] };

/** Whether nobody knew of a host when it was remembered who was there. */
const isNew = ({ hardwareAddress, addresses }: Host, { known }: Before): boolean =>
  hardwareAddress === null ? !addresses.some((one) => known.has(one)) : !known.has(hardwareAddress);

/** Milliseconds that a host is given to answer before its silence is worth a word. */
const ANSWERS_WITHIN = 10_000;
const listedBy = new Set<Host['sources'][number]>(['table', 'list-file', 'neighbours']);

/** Whether only others speak of a host: it has an address by them, and gave no sign of its own. */
const isListedOnly = ({ addresses, sources, sightings, at }: Host, now: number): boolean =>
  addresses.length > 0 &&
  sightings.length === 0 &&
  now - at > ANSWERS_WITHIN &&
  sources.some((source) => source === 'table' || source === 'list-file') &&
  sources.every((source) => listedBy.has(source));

/** What is to be said of a host that did not prove to be a device. */
function tell(
  host: Host,
  reckoned: Reckoned | undefined,
  names: ReadonlyMap<string, string>,
  now: number,
): string {
  const parts: string[] = [];
  if (reckoned)
    parts.push(
      `${reckoned.standing === 'likely' ? 'Likely' : 'Perhaps'} ${names.get(reckoned.deviceId) ?? ''}. ${reckoned.why}`,
    );
  if (host.addresses.length === 0 && host.asked >= ASKS_OFTEN)
    parts.push(
      'It asks for an address again and again and gets none: the list of addresses is used up, or nobody gives them out there.',
    );
  if (isListedOnly(host, now))
    parts.push(
      'A list has it, and it does not answer here: it is off, or the access point keeps its clients apart.',
    );
  if (host.left) parts.push('It said that it leaves.');
  return parts.join(' ');
}

/** Who the hosts are that were heard and did not sign, over the devices of all batches. */
export async function hear(
  finding: Finding,
  batchId: string,
  watch: Watch | null,
  before: Before | null,
  matches: readonly Match[],
  sightings: readonly Sighting[],
): Promise<Heard> {
  if (!watch) return nothing;
  const clues = await finding.clues.heard(watch.id);
  if (clues.length === 0) return nothing;
  const [sought, named, now] = await Promise.all([
    finding.repository.sought(BOOT_SECONDS),
    finding.before.named(batchId),
    finding.runs.repository.now(),
  ]);
  const proved = new Map<string, string[]>();
  for (const { deviceId, standing, sighting, alsoAt } of matches)
    if (standing === 'proved') proved.set(deviceId, [sighting.address, ...alsoAt]);
  const since = Math.min(...clues.map((clue) => clue.since));
  const { reckoned, hosts } = reckonUnproved(
    sought,
    { clues, sightings: sightings.filter(({ at }) => at >= since) },
    proved,
  );
  const own = reckoned.filter(({ deviceId }) =>
    sought.some((one) => one.deviceId === deviceId && one.batchId === batchId),
  );
  const names = new Map(
    sought.map(({ deviceId, hostName, batchId: of, batchName }) => [
      deviceId,
      of === batchId ? hostName : `${hostName} of the batch ${batchName}`,
    ]),
  );
  const taken = new Set([...proved.values()].flat());
  const byHost = new Map(reckoned.map((one) => [one.host, one]));
  return {
    devices: new Map(
      own.map(({ deviceId, host, standing, why }) => [
        deviceId,
        { standing, address: host.addresses[0] ?? null, at: host.at, why },
      ]),
    ),
    hosts,
    views: hosts
      .filter(({ addresses }) => !addresses.some((address) => taken.has(address)))
      .sort((a, b) => b.at - a.at)
      .slice(0, HOSTS_TOLD)
      .map((host) => ({
        addresses: host.addresses,
        hardwareAddress: host.hardwareAddress,
        names: [...new Set(host.names.map(({ name }) => name))],
        sources: host.sources,
        since: host.since,
        at: host.at,
        left: host.left,
        maker: host.hardwareAddress === null ? '' : makerNow(host.hardwareAddress),
        isNew: before !== null && isNew(host, before),
        namedAs: named.get(host.hardwareAddress ?? '') ?? null,
        told: tell(host, byHost.get(host), names, now),
      })),
  };
}

/** What is remarkable about the devices that are proved, a sentence each. */
export async function tellsOf(
  finding: Finding,
  batchId: string,
  matches: readonly Match[],
  hosts: readonly Host[],
): Promise<Map<string, string[]>> {
  const proved = matches.filter(({ standing }) => standing === 'proved');
  if (proved.length === 0) return new Map();
  const [records, proofs, owners] = await Promise.all([
    finding.plans.repository.find(batchId),
    finding.repository.proofs(batchId),
    finding.repository.boards(batchId),
  ]);
  const names = new Map(records?.plan.devices.map(({ id, hostName }) => [id, hostName]));
  return new Map(
    proved.map(({ deviceId, sighting, alsoAt }) => {
      const hostName = names.get(deviceId) ?? '';
      const told = tellProved(
        {
          hostName,
          address: sighting.address,
          hardwareAddress: sighting.hardwareAddress,
          // A copy is told as such, and has not moved.
          proofs: alsoAt.length > 0 ? [] : (proofs.get(sighting.hostKey ?? '') ?? []),
        },
        (hardware) => {
          const owner = owners.get(hardware);
          return owner === undefined || owner.deviceId === deviceId ? undefined : owner.hostName;
        },
        hosts,
      );
      return [deviceId, told];
    }),
  );
}
