/** Sizes and times as the trade writes them. */

/** Decimal size as sellers count it, `32 GB`. */
export function decimalSize(bytes: number): string {
  const units = ['B', 'kB', 'MB', 'GB', 'TB'];
  const step = bytes < 1000 ? 0 : Math.min(Math.floor(Math.log10(bytes) / 3), units.length - 1);
  return `${trim(bytes / 1000 ** step)} ${units[step] ?? 'B'}`;
}

/** Binary size as systems show it, `29.8 GiB`. */
export function binarySize(bytes: number): string {
  const units = ['B', 'KiB', 'MiB', 'GiB', 'TiB'];
  const step = bytes < 1024 ? 0 : Math.min(Math.floor(Math.log2(bytes) / 10), units.length - 1);
  return `${trim(bytes / 1024 ** step)} ${units[step] ?? 'B'}`;
}

/** Both at once, `32 GB (29.8 GiB)`. */
export const bothSizes = (bytes: number): string => `${decimalSize(bytes)} (${binarySize(bytes)})`;

const trim = (value: number): string => String(Number(value.toPrecision(3)));

/** Minutes and seconds, `2:05`; hours from 60 minutes on, `1:02:05`. */
export function clock(seconds: number): string {
  const whole = Math.max(0, Math.round(seconds));
  const pad = (value: number): string => String(value).padStart(2, '0');
  const minutes = Math.floor(whole / 60);
  if (minutes < 60) return `${String(minutes)}:${pad(whole % 60)}`;
  return `${String(Math.floor(minutes / 60))}:${pad(minutes % 60)}:${pad(whole % 60)}`;
}
