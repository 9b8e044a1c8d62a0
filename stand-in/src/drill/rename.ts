import {
  fatPartitions,
  FatVolume,
  inspectDisk,
  Overlay,
  shiftPatches,
  SliceSource,
  type ByteSource,
  type Patch,
} from '@nest-mark/core/disk';

/** Files of a boot partition without which a board joins no network, by the ways that images have. */
const names = ['network-config', 'wpa_supplicant.conf', 'networks.lst'];

/**
 * Gives a file of a card the second extension that editors put there when extensions are hidden.
 * @returns the changes, and both names; null where the card has no such file
 */
export async function renamed(
  card: ByteSource,
): Promise<{ patches: Patch[]; names: [string, string] } | null> {
  for (const { offset, size } of fatPartitions(await inspectDisk(card))) {
    const overlay = new Overlay(new SliceSource(card, offset, size));
    const volume = await FatVolume.open(overlay);
    const there = (await volume.list()).map(({ name }) => name);
    const name = names.find((one) => there.includes(one));
    const content = name === undefined ? null : await volume.readFile(name);
    if (name === undefined || content === null) continue;
    const other = `${name}.txt`;
    await volume.removeFile(name);
    await volume.writeFile(other, content);
    return { patches: shiftPatches(overlay.patches(), offset), names: [name, other] };
  }
  return null;
}
