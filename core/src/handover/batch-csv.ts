import Papa from 'papaparse';

/** One device's line in the record. */
export interface CsvDevice {
  nest: string;
  mark: string;
  hostName: string;
  role: string;
  state: string;
  address: string;
  hardwareAddress: string;
  hostKeyFingerprint: string;
  userName: string;
  /** What keeps the device from being handed over as it is; empty for nothing. */
  remark: string;
}

const columns: [string, keyof CsvDevice][] = [
  ['nest', 'nest'],
  ['mark', 'mark'],
  ['host name', 'hostName'],
  ['role', 'role'],
  ['state', 'state'],
  ['address', 'address'],
  ['hardware address', 'hardwareAddress'],
  ['host key fingerprint', 'hostKeyFingerprint'],
  ['user', 'userName'],
  ['remark', 'remark'],
];

/** The batch as CSV (RFC 4180). Cells that a spreadsheet would take for a formula are quoted. */
export function batchCsv(devices: readonly CsvDevice[]): string {
  const titles = columns.map(([title]) => title);
  const rows = devices.map((device) => columns.map(([, key]) => device[key]));
  return `${Papa.unparse([titles, ...rows], { escapeFormulae: true, newline: '\r\n' })}\r\n`;
}
