import { isMark, normaliseMark } from '../plan/marks';

/** Whom a scanned label names, or why nobody. */
export type Named =
  | { kind: 'named'; deviceId: string; hostName: string; hardwareAddress: string }
  | { kind: 'refused'; why: string };

/**
 * The label of the board that was powered names the one host that came since: only where there is one, since two that came
 * together cannot be told apart by what they say.
 * @param scanned as a scanner types it
 */
export function nameByLabel(
  scanned: string,
  devices: readonly { id: string; mark: string; hostName: string }[],
  hosts: readonly { isNew: boolean; namedAs: string | null; hardwareAddress: string | null }[],
): Named {
  const refused = (why: string): Named => ({ kind: 'refused', why });
  const mark = normaliseMark(scanned);
  if (!isMark(mark))
    return refused(`"${scanned.trim()}" is no mark: its last character does not fit. Scan it again.`);
  const device = devices.find((one) => one.mark === mark);
  if (!device) return refused(`No device of this batch has the mark ${mark}. Is the label of another batch?`);
  const fresh = hosts.flatMap(({ isNew, namedAs, hardwareAddress }) =>
    isNew && namedAs === null && hardwareAddress !== null ? [hardwareAddress] : [],
  );
  const [hardwareAddress] = fresh;
  if (hardwareAddress === undefined)
    return refused('Nobody new is here that has no name yet. Wait until one is heard, then scan again.');
  return fresh.length > 1
    ? refused(`${String(fresh.length)} are new, so it is not known which one it is: choose it in the table.`)
    : { kind: 'named', deviceId: device.id, hostName: device.hostName, hardwareAddress };
}
