import { isIpv4, sortReached, type HandoverDevice } from './device';

/**
 * Targets for a monitoring program, as the JSON list of groups that such programs read from files (common practice).
 * @param port at which each board's figures are read
 */
export function monitoringTargets(devices: readonly HandoverDevice[], port: number): string {
  const { fit } = sortReached(devices);
  const list = fit.map(({ address, hostName, mark, nest, role }) => ({
    targets: [`${isIpv4(address) ? address : `[${address}]`}:${String(port)}`],
    labels: { instance: hostName, mark, nest, ...(role === '' ? {} : { role }) },
  }));
  return `${JSON.stringify(list, null, 2)}\n`;
}
