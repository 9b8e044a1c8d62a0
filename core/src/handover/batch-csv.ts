import Papa from 'papaparse';
import * as z from 'zod';
import type { HandoverDevice } from './device';

/** The columns that a person can choose, in the order in which they are offered. */
export const csvColumns = {
  nest: ['nest', ({ nest }) => nest],
  mark: ['mark', ({ mark }) => mark],
  hostName: ['host name', ({ hostName }) => hostName],
  role: ['role', ({ role }) => role],
  colour: ['colour', ({ colour }) => colour],
  state: ['state', ({ state }) => state],
  address: ['address', ({ address }) => address ?? ''],
  port: ['port', ({ port }) => String(port)],
  vpnAddress: ['address in the VPN', ({ vpnAddress }) => vpnAddress ?? ''],
  hardwareAddress: ['hardware address', ({ hardwareAddress }) => hardwareAddress],
  hostKeyFingerprint: ['host key fingerprint', ({ hostKeyFingerprint }) => hostKeyFingerprint],
  hostKey: ['host key', ({ hostKey }) => hostKey],
  userName: ['user', ({ userName }) => userName],
  remark: ['remark', ({ remark }) => remark],
} as const satisfies Record<string, readonly [string, (device: HandoverDevice) => string]>;

export const CsvColumnSchema = z.enum(Object.keys(csvColumns) as [CsvColumn, ...CsvColumn[]]);
export type CsvColumn = keyof typeof csvColumns;

/** What stands in the table unless a person chooses. */
export const usualColumns: readonly CsvColumn[] = [
  'nest',
  'mark',
  'hostName',
  'role',
  'state',
  'address',
  'hardwareAddress',
  'hostKeyFingerprint',
  'userName',
  'remark',
];

/** The batch as CSV (RFC 4180). Cells that a spreadsheet would take for a formula are quoted. */
export function batchCsv(
  devices: readonly HandoverDevice[],
  columns: readonly CsvColumn[] = usualColumns,
): string {
  const titles = columns.map((column) => csvColumns[column][0]);
  const rows = devices.map((device) => columns.map((column) => csvColumns[column][1](device)));
  return `${Papa.unparse([titles, ...rows], { escapeFormulae: true, newline: '\r\n' })}\r\n`;
}
