import { addressFault, inSubnet, isOwnAddress, isSix, subnetFault } from '../net/subnet';
import { readBootLines } from '../firstboot/boot-config';
import { CALL_IN_PORT, callInOf, wordsOf } from '../plan/extras-model';
import { searchSubnet } from '../plan/search-subnet';
import { perVariant, type Hit, type Rule, type RuleView } from './rule';

const one = (severity: Hit['severity'], place: string, message: string, fix: string): Hit => ({
  severity,
  place: `extras.${place}`,
  message,
  fix,
});

const groups: Rule = {
  id: 'groups',
  title: 'Groups have names that can exist',
  why: 'A user that is put into a group that cannot exist may not be made at all.',
  source: 'groupadd(8), "CAVEATS"',
  check: ({ plan }) =>
    wordsOf(plan.extras.groups)
      .filter((name) => !/^[a-z_][a-z0-9_-]{0,31}$/.test(name))
      .map((name) =>
        one(
          'stops',
          'groups',
          `"${name}" cannot be a group.`,
          'Small letters, digits, hyphens; for instance dialout or video.',
        ),
      ),
};

const keyboard: Rule = {
  id: 'keyboard',
  title: 'The keyboard layout is written as xkeyboard-config names it',
  why: 'With an unknown layout the keys of a keyboard that is plugged in one day type other letters, also in passwords.',
  source: 'keyboard(5); xkeyboard-config(7)',
  check: ({ plan }) => {
    const { keyboard: text } = plan.extras;
    return text.trim() === '' || /^[a-z]{2,12}( [A-Za-z0-9_-]+)?$/.test(text)
      ? []
      : [
          one(
            'stops',
            'keyboard',
            `"${text}" is not a keyboard layout.`,
            'A layout such as gb or dk; a variant after a space, as in "de nodeadkeys".',
          ),
        ];
  },
};

const wired: Rule = {
  id: 'wired-address',
  title: 'Fixed wired addresses are whole, each is given once, and the gateway is among them',
  why: 'Two devices with one address take turns in being unreachable; without a gateway of their own subnet they reach nothing beyond it.',
  source: 'RFC 4632 section 3.1; RFC 5227 section 1',
  check: (view: RuleView) => {
    const { gateway, nameServers, way } = view.plan.extras.wired;
    if (way === 'dhcp') return [];
    const holders = new Map<string, string[]>();
    for (const { id, overrides } of view.plan.devices) {
      const address = (overrides.wiredAddress ?? '').split('/')[0]?.trim() ?? '';
      if (address !== '') holders.set(address, [...(holders.get(address) ?? []), id]);
    }
    const hits = wordsOf(nameServers)
      .concat(gateway.trim() === '' ? [] : [gateway.trim()])
      .filter((address) => addressFault(`${address}/32`) !== null)
      .map((address) =>
        one('stops', 'wired', `"${address}" is not an address.`, 'Write it as 192.168.40.1.'),
      );
    const fixed = perVariant(view, ['wiredAddress'], ({ wiredAddress }, { devices }): Hit[] => {
      if (wiredAddress === '') return [];
      const fault = addressFault(wiredAddress);
      if (fault !== null)
        return [
          one(
            'stops',
            'wired',
            `"${wiredAddress}" is not a device's address with its subnet.`,
            `${fault} Write it as 192.168.40.21/24.`,
          ),
        ];
      const same = holders.get(wiredAddress.split('/')[0] ?? '') ?? [];
      if (same.length > 1 || devices.length > 1)
        return [
          one(
            'stops',
            'wired',
            `The wired address ${wiredAddress} is given more than once.`,
            'Give each device an address of its own.',
          ),
        ];
      const inside = gateway.trim() === '' || addressFault(wiredAddress, gateway.trim()) === null;
      return inside
        ? []
        : [
            one(
              'stops',
              'wired',
              `The gateway ${gateway} is outside the subnet of ${wiredAddress}.`,
              'Give the gateway of that subnet, or another address.',
            ),
          ];
    });
    const without = view.plan.devices.filter(({ overrides }) => (overrides.wiredAddress ?? '') === '').length;
    return [
      ...hits,
      ...fixed,
      ...(without > 0 && without < view.plan.devices.length
        ? [
            one(
              'warns',
              'wired',
              `${String(without)} devices have no fixed wired address; they ask an address server.`,
              'Choose them in the tray and number their addresses.',
            ),
          ]
        : []),
      ...(without > 0 && without === view.plan.devices.length
        ? [
            one(
              'stops',
              'wired',
              'Fixed wired addresses are chosen, but no device has one.',
              'Choose the devices in the tray and number their addresses, or let an address server give them.',
            ),
          ]
        : []),
    ];
  },
};

const bootLines: Rule = {
  id: 'boot-lines',
  title: 'Lines for the boot configuration are settings, and the image has a file for them',
  why: 'The boot loader skips what it does not understand without a word.',
  source: 'common practice; rotation 0 to 3 are quarter turns',
  check: (view) => {
    const text = view.plan.extras.bootLines;
    if (text.trim() === '') return [];
    const { lines, strange } = readBootLines(text);
    const seen = new Map<string, string>();
    const hits: Hit[] = strange.map(({ line, text: words }) =>
      one(
        'stops',
        'bootLines',
        `Line ${String(line)} is no setting: "${words.slice(0, 40)}".`,
        'Write key=value, or a section in brackets.',
      ),
    );
    for (const { section, identity, text: words } of lines) {
      const key = `${section} ${identity}`;
      const before = seen.get(key);
      if (before !== undefined)
        hits.push(
          one(
            'warns',
            'bootLines',
            `${identity} is set twice in [${section}]: "${before}" and "${words}".`,
            'Leave the one that is meant; the later one wins.',
          ),
        );
      seen.set(key, words);
      const turn = /^(?:display|lcd|display_hdmi|display_lcd)_rotat(?:e|ion)\s*=\s*(.*)$/
        .exec(words)?.[1]
        ?.trim();
      if (turn !== undefined && !/^(0x)?[0-3](0000)?$/.test(turn))
        hits.push(
          one(
            'warns',
            'bootLines',
            `A screen cannot be turned by "${turn}".`,
            '0, 1, 2 or 3: quarter turns to the right.',
          ),
        );
    }
    const lacking = perVariant(view, ['imageId'], ({ imageId }): Hit[] => {
      const image = view.images.find(({ id }) => id === imageId);
      return image?.bootConfig === null
        ? [
            one(
              'stops',
              'bootLines',
              `${image.title} has no boot configuration file that is known here.`,
              'Take the lines out, or choose another image.',
            ),
          ]
        : [];
    });
    return [...hits, ...lacking];
  },
};

/** Paths on the board that the first boot itself writes; a file put there would be overwritten or lock people out. */
const taken = /^\/(etc\/(passwd|shadow|group|gshadow|hostname|sudoers)|proc|sys|dev)(\/|$)/;

/** What is not there before the first boot, or lies on another partition; and what the tool cannot say. */
const early = /^\/(home|boot|run|tmp)(\/|$)|["\r\n]/;

/** Files of a card that the first-boot method writes; another one in their place would undo it. */
const ofMethod =
  /^(user-data|meta-data|network-config|ssh|userconf\.txt|wpa_supplicant\.conf|nest-mark\.json|cmdline\.txt|extlinux\/extlinux\.conf|run-once(\.sh|\/.*)?)$/i;

const extraFiles: Rule = {
  id: 'extra-files',
  title: 'Extra files have a path of their own that can be written',
  why: 'A file with a wrong path is not where the application looks for it; one on a path of the system breaks the system.',
  source: 'path_resolution(7); FAT specification 1.03, section 7',
  check: ({ plan, images, variants }) => {
    const seen = new Set<string>();
    const used = new Set(variants.map(({ settings }) => settings.imageId));
    const described = images
      .filter(({ id }) => used.has(id))
      .flatMap(({ own }) => own?.description.files ?? [])
      .map((file) => file.path.toLowerCase());
    return plan.extras.files.flatMap(({ place, path, mode }, at): Hit[] => {
      const here = `files.${String(at)}`;
      const key = `${place} ${path.toLowerCase()}`;
      const twice = seen.has(key);
      seen.add(key);
      const parts = path.replace(/^\//, '').split('/');
      const broken =
        parts.some((part) => part === '' || part === '.' || part === '..' || part.length > 200) ||
        /[\n\r\0]/.test(path) ||
        (place === 'card' ? /["*:<>?\\|]|[ .](\/|$)/.test(path) : !/^\/[^ ]+$/.test(path));
      if (broken)
        return [
          one(
            'stops',
            here,
            path === ''
              ? 'An extra file has no path.'
              : `"${path}" is no path for a file ${place === 'card' ? 'on the card' : 'on the board'}.`,
            place === 'card'
              ? 'Write it from the root of the boot partition, as app/settings.txt.'
              : 'Write it from /, without spaces, as /etc/app/settings.conf.',
          ),
        ];
      if (twice) return [one('stops', here, `Two extra files have the path ${path}.`, 'Leave one of them.')];
      const bare = path.replace(/^\//, '');
      if (place === 'card' && (ofMethod.test(bare) || described.includes(bare.toLowerCase())))
        return [
          one(
            'stops',
            here,
            `${path} is written by the first-boot method.`,
            'Choose another path; what should stand in it is a setting of the plan.',
          ),
        ];
      if (place !== 'card' && taken.test(path))
        return [
          one(
            'stops',
            here,
            `${path} belongs to the system.`,
            'Choose another path; name, users and rights are settings of the plan.',
          ),
        ];
      if (place === 'root' && early.test(path))
        return [
          one(
            'stops',
            here,
            `${path} cannot go into the root file system before the first boot.`,
            'Homes are made with their users, and /boot is the boot partition: let the first boot put it there, or the card.',
          ),
        ];
      return place !== 'card' && !/^0?[0-7]{3}$/.test(mode)
        ? [
            one(
              'stops',
              here,
              `"${mode}" are no permissions.`,
              'Three octal digits, as 0644, or 0600 for what only root may read.',
            ),
          ]
        : [];
    });
  },
};

const rootOfImage: Rule = {
  id: 'root-files',
  title: 'The image has a root file system that files can be put into',
  why: 'Files for the root go in by a tool for ext2, 3 and 4; another root, or one that could not be read, takes none.',
  source: 'debugfs(8); what the image holds',
  check: (view) => {
    const at = view.plan.extras.files.findIndex(({ place }) => place === 'root');
    if (at < 0) return [];
    return perVariant(view, ['imageId'], ({ imageId }): Hit[] => {
      const image = view.images.find(({ id }) => id === imageId);
      return image && image.system?.unread !== ''
        ? [
            one(
              'stops',
              `files.${String(at)}`,
              `Nothing can be put into the root of ${image.title}: ${image.system?.unread ?? 'nobody has looked at it yet.'}`,
              'Let the first boot put the file there, if its method can, or choose another image.',
            ),
          ]
        : [];
    });
  },
};

const packages: Rule = {
  id: 'package-names',
  title: 'Packages have names that can exist, and the lists are refreshed for them',
  why: 'One wrong name makes the whole installation fail.',
  source: 'Debian Policy section 5.6.1',
  check: ({ plan }) =>
    wordsOf(plan.extras.packages)
      .filter((name) => !/^[a-z0-9][a-z0-9+.-]+$/.test(name))
      .map((name) =>
        one(
          'stops',
          'packages',
          `"${name}" cannot be a package.`,
          'Small letters, digits, plus, hyphen and point.',
        ),
      ),
};

const callIn: Rule = {
  id: 'call-in',
  title: 'Boards call an address that this computer has where they appear',
  why: 'What the cards say cannot be changed any more: a board that calls somewhere else is not heard that way.',
  source: 'RFC 1918; RFC 1122 section 3.2.1.3; common practice',
  check: ({ plan, networks, surroundings }) => {
    const where = callInOf(plan.extras);
    if (where === null) return [];
    const { address, port } = where;
    if (isSix(address) || !isOwnAddress(address))
      return [
        one(
          'stops',
          'callIn',
          `Boards cannot call "${address}".`,
          'Give the four numbers of an address that this computer has on the boards’ network; names may not be known there.',
        ),
      ];
    const subnet = searchSubnet(plan, networks);
    const near = subnetFault(subnet) === null && inSubnet(address, subnet);
    if (inSubnet(address, '127.0.0.0/8') && !near)
      return [
        one(
          'stops',
          'callIn',
          `A board that calls ${address} calls itself.`,
          'Give this computer’s own address.',
        ),
      ];
    return [
      ...(near || surroundings.workstation.some((own) => own.address === address)
        ? []
        : [
            one(
              'warns',
              'callIn',
              `This computer does not have the address ${address} that boards are to call.`,
              'Give one that it has, and have the router keep it for this computer.',
            ),
          ]),
      ...(port < 1024
        ? [
            one(
              'warns',
              'callIn',
              `Port ${String(port)} is one that only a program with a right to it may open.`,
              `Take one above 1023, as ${String(CALL_IN_PORT)}.`,
            ),
          ]
        : []),
    ];
  },
};

export const extrasRules: readonly Rule[] = [
  groups,
  keyboard,
  wired,
  bootLines,
  extraFiles,
  rootOfImage,
  packages,
  callIn,
];
