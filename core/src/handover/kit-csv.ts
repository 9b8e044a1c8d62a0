import Papa from 'papaparse';
import type { KitList } from '../kit/kit';

/** The kit list as CSV (RFC 4180). Cells that a spreadsheet would take for a formula are quoted. */
export function kitCsv({ lines, total }: KitList, currency: string): string {
  const titles = ['what', 'needed', 'spare', 'in stock', 'to buy', `${currency} each`, currency];
  const rows = lines.map(({ title, needed, spare, stock, buy, price, cost }) => [
    title,
    needed,
    spare,
    stock,
    buy,
    price ?? '',
    cost ?? '',
  ]);
  const sum = ['total', '', '', '', '', '', total];
  return `${Papa.unparse([titles, ...rows, sum], { escapeFormulae: true, newline: '\r\n' })}\r\n`;
}
