import { checkCard, type BootFiles } from '@nest-mark/core';
import { shownCheck } from '../src/app/card-check/result';

const boot = (files: Record<string, string>): BootFiles => ({
  names: Object.keys(files),
  files: Object.entries(files).map(([name, text]) => ({ name, content: new TextEncoder().encode(text) })),
  label: '',
  bootedAs: null,
  bootedWith: null,
  mountedAt: null,
  elsewhere: [],
});
const shown = (files: Record<string, string>) => shownCheck('a card', checkCard(boot(files)), '');

const good = {
  ssh: '',
  'userconf.txt': `keeper:$6$seagrass$${'aB3/'.repeat(21)}ab\n`,
  'wpa_supplicant.conf': 'country=DK\nnetwork={\n  ssid="Hall"\n  psk="low tide at seven"\n}\n',
};

it('a sound card: nothing wrong, and what it looks for', () => {
  const { verdict, sentences, findings } = shown(good);
  expect(verdict).toBe('');
  expect(findings).toEqual([]);
  expect(sentences).toContain('It will look for "Hall" (with a passphrase); its radio is set to DK.');
});

it('a file that is refused as a whole: no network is promised', () => {
  const { verdict, sentences } = shown({
    ...good,
    'wpa_supplicant.conf': good['wpa_supplicant.conf'].replace('psk=', 'pks='),
  });
  // The misspelt setting, and a network that has no passphrase because of it.
  expect(verdict).toBe('2 things stop this board');
  expect(sentences).toContain(
    'It will join no Wi-Fi network, because wpa_supplicant.conf is refused as a whole; that names "Hall" (with a passphrase).',
  );
});

it('things that stop and things that warn are counted apart', () => {
  const { verdict } = shown({
    'wpa_supplicant.conf': good['wpa_supplicant.conf'].replace('Hall', 'Hall '),
  });
  expect(verdict).toBe('1 thing stops this board, 2 warnings');
});
