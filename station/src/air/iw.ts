import type { WifiBand } from '@nest-mark/core';
import { channelAt } from '@nest-mark/core';

/** An adapter as the kernel has it. */
export interface KernelAdapter {
  name: string;
  phy: string;
  /** Whether it is on a network. */
  joined: boolean;
}

/** Adapters from what `iw dev` prints (iw 5.19); only those of the usual kind. */
export function readIwDev(text: string): KernelAdapter[] {
  const all: (KernelAdapter & { type: string })[] = [];
  let phy = '';
  let last: (typeof all)[number] | undefined;
  for (const line of text.split('\n')) {
    const [, number] = /^phy#(\d+)$/.exec(line) ?? [];
    if (number !== undefined) phy = `phy${number}`;
    const [, name] = /^\tInterface (\S{1,32})$/.exec(line) ?? [];
    // Some have no name, and nothing of theirs is another one's.
    if (/^\t?\S/.test(line)) last = undefined;
    if (name !== undefined) all.push((last = { name, phy, joined: false, type: '' }));
    if (!last) continue;
    const [, type] = /^\t\ttype (.+)$/.exec(line) ?? [];
    if (type !== undefined) last.type = type;
    // Told only of who is on a network.
    if (/^\t\tssid /.test(line)) last.joined = true;
  }
  return all.filter(({ type }) => type === 'managed').map(({ name, phy, joined }) => ({ name, phy, joined }));
}

/** Bands from what `iw phy NAME info` prints: those with a frequency that is not switched off. */
export function readIwPhy(text: string): WifiBand[] {
  const bands = new Set<WifiBand>();
  for (const [, mhz, rest = ''] of text.matchAll(/^\t\t\t\* (\d+)(?:\.\d+)? MHz \[\d+\](.*)$/gm)) {
    const at = channelAt(Number(mhz));
    if (at && !rest.includes('disabled')) bands.add(at.band);
  }
  return [...bands];
}
