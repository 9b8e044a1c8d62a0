import { comments, isIpv4, sortReached, type HandoverDevice } from './device';
import { inComment } from '../plain-name';

/** Lines for a hosts file (hosts(5)). */
export function hostsFile(devices: readonly HandoverDevice[]): string {
  const { fit, remarks } = sortReached(devices);
  return (
    comments('#', remarks) +
    fit
      .map(
        ({ address, hostName, mark }) =>
          `${address}\t${hostName} ${hostName}.local\t# mark ${inComment(mark)}\n`,
      )
      .join('')
  );
}

/** Text of a TXT record: in quotes, with quotes and backslashes escaped (RFC 1035, section 5.1). */
const zoneText = (text: string): string =>
  `"${inComment(text)
    .replace(/[^\x20-\x7e]/g, '?')
    .replace(/["\\]/g, '\\$&')}"`;

/**
 * Lines for a zone (RFC 1035, section 5; AAAA: RFC 3596), names relative to it. They go behind the zone's own SOA and
 * NS records.
 */
export function zoneLines(devices: readonly HandoverDevice[]): string {
  const { fit, remarks } = sortReached(devices);
  return (
    comments(';', remarks) +
    fit
      .map(
        ({ address, hostName, mark }) =>
          `${hostName}\tIN\t${isIpv4(address) ? 'A' : 'AAAA'}\t${address}\n${hostName}\tIN\tTXT\t${zoneText(`mark ${mark}`)}\n`,
      )
      .join('')
  );
}
