import type { FirstBootSettings } from './settings';

/** The file that names a card's device, on the card and on the running system (JSON, RFC 8259). */
export function markText(settings: FirstBootSettings): string {
  const { mark, nest, hostName, batchId, batchName, deviceId, instanceId: writing } = settings;
  const hostKey = settings.hostKey.fingerprint;
  return `${JSON.stringify({ mark, nest, hostName, batchId, batchName, deviceId, writing, hostKey }, null, 2)}\n`;
}
