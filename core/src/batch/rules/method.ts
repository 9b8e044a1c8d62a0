import { carriedTitles, type Carried } from '../../firstboot/carried';
import { firstBootMethod, methodName } from '../../firstboot/methods';
import { networkTitle } from '../../wifi/network';
import { ssidBytes, ssidText } from '../../wifi/ssid';
import { linesOf, wordsOf } from '../extras-model';
import type { DeviceSettings } from '../effective';
import type { ImageFacts, NetworkFacts } from '../model';
import { hasPassword, usableKeys } from './access';
import { perVariant, type Hit, type Rule, type RuleView } from './rule';

/** Image of a variant whose method is known; what has no method at all is told by `image-chosen`. */
const imageOf = (view: RuleView, { imageId }: DeviceSettings): ImageFacts | null =>
  view.images.find(({ id, method }) => id === imageId && method !== 'none') ?? null;

const carriesOf = (image: ImageFacts): ReadonlySet<Carried> =>
  firstBootMethod(image.method)?.carries ?? new Set();

const networksOf = (view: RuleView, { networks }: DeviceSettings): NetworkFacts[] =>
  view.networks.filter(({ id }) => networks.some(({ networkId }) => networkId === id));

/** What a plan asks of the method, but for networks of a kind that has a rule of its own. */
function wanted(view: RuleView, settings: DeviceSettings): Carried[] {
  const { access, extras } = view.plan;
  const asked: Partial<Record<Carried, boolean>> = {
    hostName: true,
    keys: usableKeys(settings.keys).length > 0,
    passwordOff: !settings.passwordLogin,
    others: access.others.length > 0,
    groups: wordsOf(extras.groups).length > 0,
    sudo: extras.sudo !== 'usual',
    priority: settings.networks.length > 1,
    timeZone: settings.timeZone !== '',
    locale: settings.locale !== '',
    keyboard: extras.keyboard.trim() !== '',
    wired: extras.wired.way === 'fixed' && settings.wiredAddress.trim() !== '',
    refresh: extras.refresh !== 'nothing',
    packages: wordsOf(extras.packages).length > 0,
    boardFiles: extras.files.some(({ place }) => place === 'board'),
    commands: linesOf(extras.commands).length > 0,
  };
  return (Object.keys(asked) as Carried[]).filter((name) => asked[name]);
}

const listed = (names: readonly Carried[]): string => {
  const titles = names.map((name) => carriedTitles[name]);
  return titles.length < 2 ? titles.join('') : `${titles.slice(0, -1).join(', ')} and ${titles.at(-1) ?? ''}`;
};

const looksAt = [
  'imageId',
  'keys',
  'passwordLogin',
  'networks',
  'timeZone',
  'locale',
  'wiredAddress',
] as const;

const methodCarries: Rule = {
  id: 'method-carries',
  title: 'The image’s first-boot method can carry what the plan says',
  why: 'What the method cannot carry does not reach the board; it has to be done afterwards, board by board.',
  source: 'common practice; cloud-init documentation, module reference',
  check: (view) =>
    perVariant(view, looksAt, (settings): Hit[] => {
      const image = imageOf(view, settings);
      if (!image) return [];
      const carries = carriesOf(image);
      const left = wanted(view, settings).filter((name) => !carries.has(name));
      if (left.length === 0) return [];
      return [
        {
          severity: 'warns',
          place: 'imageId',
          message: `Cards of ${image.title} cannot carry ${listed(left)}: its method is "${methodName(image.method)}".`,
          fix: 'Do that after the first boot, take it out of the plan, or choose an image that reads a declarative seed or can run a script once.',
        },
      ];
    }),
};

const methodProof: Rule = {
  id: 'method-proof',
  title: 'The board gets the host key by which it is proved',
  why: 'Without a key that was made beforehand a board can be found but not proved: which one it is stays a guess.',
  source: 'RFC 4253 section 8; common practice',
  check: (view) =>
    perVariant(view, ['imageId'], (settings): Hit[] => {
      const image = imageOf(view, settings);
      return image && !carriesOf(image).has('hostKey')
        ? [
            {
              severity: 'warns',
              place: 'imageId',
              message: `${image.title} cannot take a host key from its card, so its boards cannot be proved.`,
              fix: 'Power its boards one at a time and label each as it appears, or choose an image with another method.',
            },
          ]
        : [];
    }),
};

const methodWayIn: Rule = {
  id: 'method-way-in',
  title: 'Somebody can log in by what the method carries',
  why: 'Where keys cannot go onto the card, a password is the only way in; without one the card has to be written again.',
  source: 'common practice',
  check: (view) =>
    perVariant(view, ['imageId', 'keys', 'passwordLogin'], (settings): Hit[] => {
      const image = imageOf(view, settings);
      if (!image) return [];
      const carries = carriesOf(image);
      if (carries.has('keys') || (carries.has('password') && settings.passwordLogin && hasPassword(view)))
        return [];
      return carries.has('password')
        ? [
            {
              severity: 'stops',
              place: 'access.passwordLogin',
              message: `Nobody could log in: "${methodName(image.method)}" carries no SSH keys, and there is no password.`,
              fix: 'Switch login by password on and set one; put the keys onto the board after the first login.',
            },
          ]
        : [
            {
              severity: 'warns',
              place: 'imageId',
              message: `"${methodName(image.method)}" makes no user: only the login that ${image.title} ships is there.`,
              fix: 'Log in with it, make the user and lock the shipped one before the board leaves the bench.',
            },
          ];
    }),
};

const methodNetwork: Rule = {
  id: 'security-method',
  title: 'The image’s first-boot method can carry each network',
  why: 'The declarative seed is read by netplan: it has no WEP and no names outside UTF-8, and older versions throw away the whole file when WPA3 alone is asked for.',
  source: 'netplan YAML reference, "authentication"; netplan 0.106 as tried',
  check: (view) => {
    const told = new Set<string>();
    return view.variants.flatMap(({ settings }): Hit[] => {
      const image = imageOf(view, settings);
      if (!image) return [];
      const carries = carriesOf(image);
      return networksOf(view, settings).flatMap((network): Hit[] => {
        const hit = (severity: Hit['severity'], place: string, message: string, fix: string): Hit[] => {
          const key = `${network.id} ${message}`;
          if (told.has(key)) return [];
          told.add(key);
          return [{ severity, place: `net.${place}`, networkId: network.id, message, fix }];
        };
        const name = networkTitle(network);
        if (network.security === 'wep' && !carries.has('wep'))
          return hit(
            'stops',
            'security',
            `"${methodName(image.method)}" cannot carry the WEP network ${name}.`,
            'Set the access point to WPA2, or join by wire.',
          );
        if (ssidBytes(network) && ssidText(network) === null && !carries.has('octets'))
          return hit(
            'stops',
            'ssid',
            `"${methodName(image.method)}" cannot carry the name of ${name}, which is not UTF-8.`,
            'Rename the network, or join by wire.',
          );
        // netplan reads the seed; the other methods do not go through it.
        return network.security === 'wpa3-sae' && image.method === 'declarative-seed'
          ? hit(
              'warns',
              'security',
              `Older images drop all of their networks when one of them is WPA3 only, as ${name} is.`,
              'Set the access point to WPA2 and WPA3 mixed if it can; else try one board first.',
            )
          : [];
      });
    });
  },
};

export const methodRules: readonly Rule[] = [methodCarries, methodWayIn, methodProof, methodNetwork];
