import type { Finding } from './domain';
import { batchProgress } from './progress';

/** Where a device is proved. */
export interface Proof {
  address: string;
  alsoAt: readonly string[];
  /** When it signed, milliseconds since 1970 by the database's clock. */
  at: number;
}

/** Where the devices are proved, by id. */
export async function provedNow(finding: Finding, batchId: string): Promise<Map<string, Proof>> {
  const { devices } = await batchProgress(finding, batchId);
  return new Map(
    devices.flatMap(({ deviceId, seen }) =>
      seen?.standing === 'proved'
        ? [[deviceId, { address: seen.address, alsoAt: seen.alsoAt, at: seen.at }] as const]
        : [],
    ),
  );
}

/** What changed since an earlier look, for the log: who was proved where, and whose card was copied. */
export function news(
  names: ReadonlyMap<string, string>,
  before: ReadonlyMap<string, Proof>,
  now: ReadonlyMap<string, Proof>,
): { kind: string; deviceId: string; text: string }[] {
  return [...now].flatMap(([deviceId, { address, alsoAt }]) => {
    const name = names.get(deviceId) ?? deviceId;
    if (alsoAt.length > 0)
      return [
        {
          kind: 'copied',
          deviceId,
          text: `${name} was proved at ${[address, ...alsoAt].join(' and ')} at once: its card was copied. It is not handed over before only one of them is left.`,
        },
      ];
    return before.get(deviceId)?.address === address
      ? []
      : [{ kind: 'proved', deviceId, text: `${name} was proved at ${address} by its host key.` }];
  });
}
