import { listed } from '../listed';
import { carriedTitles, type Carried } from '../firstboot/carried';
import { NETPLAN_WITH_SAE } from '../firstboot/lacks';
import { methodOf } from '../firstboot/methods';
import { networkTitle } from '../wifi/network';
import { ssidBytes, ssidText } from '../wifi/ssid';
import { linesOf, wordsOf } from '../plan/extras-model';
import type { DeviceSettings } from '../plan/effective';
import type { NetworkFacts } from '../plan/model';
import { hasPassword, usableKeys } from './access';
import { carriesOf, imageOf, lacksOf, methodNameOf } from './of-image';
import { perVariant, type Hit, type Rule, type RuleView } from './rule';

const networksOf = (view: RuleView, { networks }: DeviceSettings): NetworkFacts[] =>
  view.networks.filter(({ id }) => networks.some(({ networkId }) => networkId === id));

/** What a plan asks of the method, but for networks of a kind that has a rule of its own. */
function wanted(view: RuleView, settings: DeviceSettings): Carried[] {
  const { access, extras, handOver, vpn } = view.plan;
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
    boardFiles:
      (handOver.atPrompt && handOver.colours !== 'none') ||
      extras.files.some(({ place }) => place === 'board') ||
      (vpn.wanted && vpn.by === 'cards'),
    commands: linesOf(extras.commands).length > 0,
    callIn: extras.callIn.address.trim() !== '',
  };
  return (Object.keys(asked) as Carried[]).filter((name) => asked[name]);
}

const titled = (names: readonly Carried[]): string => listed(names.map((name) => carriedTitles[name]));

const methodActs: Rule = {
  id: 'method-acts',
  title: 'Something on the image reads what is written onto its cards',
  why: 'Files that nothing reads change nothing: the board boots as its maker shipped it, without name, user or network.',
  source: 'cloud-init documentation, "NoCloud"; kernel-command-line(7); what the image holds',
  check: (view) =>
    perVariant(view, ['imageId'], (settings): Hit[] => {
      const image = imageOf(view, settings);
      const why = image?.system && methodOf(image)?.inert(image.system);
      return image && why
        ? [
            {
              severity: 'stops',
              place: 'imageId',
              message: `Nothing on ${image.title} would read its cards by "${methodNameOf(image)}": ${why}.`,
              fix: 'Choose under Images the method that this image reads, or choose another image.',
            },
          ]
        : [];
    }),
};

const methodJoins: Rule = {
  id: 'method-joins',
  title: 'The image has what joins the networks that the card names',
  why: 'A board that joins nothing is never found, and without a wire it can only be reached by screen and keyboard.',
  source: 'netplan YAML reference; NetworkManager documentation; what the image holds',
  check: (view) =>
    perVariant(view, ['imageId', 'networks'], (settings): Hit[] => {
      const image = imageOf(view, settings);
      if (!image || settings.networks.length === 0) return [];
      const [why] = lacksOf(image, ['networks'], settings).keys();
      return why === undefined
        ? []
        : [
            {
              severity: 'stops',
              place: 'imageId',
              message: `Boards of ${image.title} would join no Wi-Fi: ${why}.`,
              fix: 'Choose another image or another first-boot method, or take the networks out and use a wire.',
            },
          ];
    }),
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
      const asked = wanted(view, settings);
      const left = asked.filter((name) => !carries.has(name));
      const fix =
        'Do that after the first boot, take it out of the plan, or choose an image that reads a declarative seed or can run a script once. Files can go straight into the root of an image.';
      const hit = (message: string, how = fix): Hit => ({
        severity: 'warns',
        place: 'imageId',
        message,
        fix: how,
      });
      return [
        ...(left.length === 0
          ? []
          : [
              hit(
                `Cards of ${image.title} cannot carry ${titled(left)}: its method is "${methodNameOf(image)}".`,
              ),
            ]),
        ...[...lacksOf(image, asked, settings)].map(([why, names]) =>
          hit(
            `On boards of ${image.title} ${titled(names)} will not come true: ${why}.`,
            'Do that after the first boot, take it out of the plan, or choose another image.',
          ),
        ),
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
              message: `Nobody could log in: "${methodNameOf(image)}" carries no SSH keys, and there is no password.`,
              fix: 'Switch login by password on and set one; put the keys onto the board after the first login.',
            },
          ]
        : [
            {
              severity: 'warns',
              place: 'imageId',
              message: `"${methodNameOf(image)}" makes no user: only the login that ${image.title} ships is there.`,
              fix: 'Log in with it, make the user and lock the shipped one before the board leaves the bench.',
            },
          ];
    }),
};

const methodNetwork: Rule = {
  id: 'security-method',
  title: 'The image’s first-boot method can carry each network',
  why: 'The declarative seed is read by netplan: it has no WEP and no names outside UTF-8, and older versions throw away the whole file when WPA3 alone is asked for.',
  source: 'netplan YAML reference, "authentication"; netplan 0.106 as tried; its list of changes',
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
            `"${methodNameOf(image)}" cannot carry the WEP network ${name}.`,
            'Set the access point to WPA2, or join by wire.',
          );
        if (ssidBytes(network) && ssidText(network) === null && !carries.has('octets'))
          return hit(
            'stops',
            'ssid',
            `"${methodNameOf(image)}" cannot carry the name of ${name}, which is not UTF-8.`,
            'Rename the network, or join by wire.',
          );
        if (network.security !== 'wpa3-sae') return [];
        if (!carries.has('wpa3'))
          return hit(
            'stops',
            'security',
            `"${methodNameOf(image)}" cannot carry ${name}, which is WPA3 only.`,
            'Set the access point to WPA2 and WPA3 mixed, or give its description a word for such networks.',
          );
        const [why] = lacksOf(image, ['wpa3'], settings).keys();
        if (why !== undefined)
          return hit(
            'stops',
            'security',
            `${image.title} cannot join ${name}, which is WPA3 only: ${why}.`,
            'Set the access point to WPA2 and WPA3 mixed, or choose another image or first-boot method.',
          );
        // netplan reads the seed; the other methods do not go through it.
        const { version = '' } = image.system?.abilities.netplan ?? {};
        return image.method === 'declarative-seed' && version === ''
          ? hit(
              'warns',
              'security',
              `Images whose netplan is older than ${NETPLAN_WITH_SAE} drop all of their networks when one of them is WPA3 only, as ${name} is; which one ${image.title} has could not be read.`,
              'Set the access point to WPA2 and WPA3 mixed if it can; else try one board first.',
            )
          : [];
      });
    });
  },
};

export const methodRules: readonly Rule[] = [
  methodActs,
  methodJoins,
  methodCarries,
  methodWayIn,
  methodProof,
  methodNetwork,
];
