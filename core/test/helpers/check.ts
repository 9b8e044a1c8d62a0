import { utf8 } from '../../src/bytes';
import { cardFilesOf } from '../../src/firstboot/card-files';
import { checkCard, type CardCheck } from '../../src/firstboot/check/check-card';
import { type BootFiles } from '../../src/firstboot/boot-files';
import type { BaseFiles, FirstBootSettings } from '../../src/firstboot/settings';
import type { FirstBootMethodId } from '../../src/plan/model';

/** Files as they would be read from a boot partition. */
export const bootFilesOf = (
  files: Record<string, string | Uint8Array>,
  more: Partial<BootFiles> = {},
): BootFiles => ({
  names: [...new Set(Object.keys(files).map((name) => name.split('/')[0] ?? ''))],
  files: Object.entries(files).map(([name, content]) => ({
    name,
    content: typeof content === 'string' ? utf8(content) : content,
  })),
  label: '',
  bootedAs: null,
  bootedWith: null,
  mountedAt: null,
  elsewhere: [],
  ...more,
});

/** Checks files as they would lie on a boot partition. */
export const check = (files: Record<string, string | Uint8Array>, more: Partial<BootFiles> = {}): CardCheck =>
  checkCard(bootFilesOf(files, more));

/** What an image with a command line, a boot configuration and a template brings. */
export const base: BaseFiles = {
  texts: new Map([
    ['cmdline.txt', 'root=PARTUUID=4d41524b-02 rootwait quiet\n'],
    ['config.txt', 'dtparam=audio=on\n'],
    [
      'network.txt',
      '# Uncomment one block.\ncountry=US\n\n#network={\n#  ssid="name"\n#  psk="passphrase"\n#}\n',
    ],
  ]),
  mountedAt: '/boot',
  system: null,
};

/** Texts on the boot partition of one device by a method. */
export const cardOf = (method: FirstBootMethodId, given: FirstBootSettings): Record<string, string> => {
  const texts = Object.fromEntries(
    cardFilesOf(method, given, base).map(({ path, content }) => [path, new TextDecoder().decode(content)]),
  );
  return method === 'run-once' ? { 'cmdline.txt': base.texts.get('cmdline.txt') ?? '', ...texts } : texts;
};
