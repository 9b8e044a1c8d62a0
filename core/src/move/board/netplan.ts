import { shellWord } from '../../formats/shell/word';
import { nameOf, REFUSED, TAKE_OFF_REFUSED, type Commands, type NewNetwork } from './commands';
import { cutFromNetplan } from './netplan-file';
import { forgotten, INTERFACE, needOnNew, preferred, SSID_OF, supplicant } from './supplicant';

/**
 * Netplan with systemd-networkd. Its own trial of changes is no way back: where one step of it fails, so does its
 * reverting (seen with 0.106). So the new network is tried in the supplicant alone, which a start of the board forgets, and
 * comes into a file of its own once the board was proved. Netplan refuses all of its files for one fault in any, and a
 * board would start without a network: a copy of them is tried first, and the file comes in whole.
 */

/** As JSON, which YAML's text in double quotes includes; two characters that YAML takes for ends of lines are escaped. */
const quoted = (text: string): string =>
  JSON.stringify(text).replace(/[\u2028\u2029\ufeff]/g, (one) => `\\u${one.charCodeAt(0).toString(16)}`);

/** The first of all: netplan wants the first paragraph of a radio to have a network, also when the old one is gone. */
const fileOf = ({ moveId }: NewNetwork): string => `/etc/netplan/00-nest-mark-${moveId}.yaml`;

/** `%s` stands for the interface (netplan YAML reference, "wifis"). */
const file = (network: NewNetwork): readonly [before: string, behind: string] => {
  const { hidden, security, key } = network;
  const settings = [
    ...(hidden ? ['hidden: true'] : []),
    ...(security === 'open'
      ? []
      : security === 'wpa3-sae'
        ? [`auth: {key-management: sae, password: ${quoted(key)}}`]
        : [`password: ${quoted(key)}`]),
  ];
  const body = settings.map((line) => `          ${line}\n`);
  return [
    'network:\n  version: 2\n  wifis:\n    "',
    `":\n      access-points:\n        ${quoted(nameOf(network) ?? '')}:${body.length === 0 ? ' {}\n' : `\n${body.join('')}`}`,
  ];
};

/** The number that the supplicant has a network under, as `$n`; empty where it does not know it. */
const numberOf = ({ ssidHex }: NewNetwork): string => `${SSID_OF}
n=
for o in $(wpa_cli -i "$i" list_networks | awk -F'\\t' '$1 ~ /^[0-9]+$/ { print $1 }'); do
    [ "$(ssid_of "$o")" != ${ssidHex} ] || n=$o
done`;

/** Netplan has no priorities with this renderer: the supplicant is told after each of its starts. */
const preferring = (network: NewNetwork): string => `#!/bin/sh
LC_ALL=C
PATH=/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin
export LC_ALL PATH
i=$1 priority=$2
tries=0
until wpa_cli -i "$i" status >/dev/null 2>&1; do
    tries=$((tries + 1))
    [ "$tries" -lt 50 ] || exit 0
    sleep 0.1
done
${numberOf(network)}
[ -n "$n" ] || exit 0
wpa_cli -i "$i" set_network "$n" priority "$priority" >/dev/null
on=$(wpa_cli -i "$i" status | sed -n 's/^id=//p')
[ -z "$on" ] || [ "$on" = "$n" ] || wpa_cli -i "$i" reassociate >/dev/null
exit 0
`;

const dropIn = ({ moveId }: NewNetwork): string => `nest-mark-${moveId}.conf`;
const program = ({ moveId }: NewNetwork): string => `/var/lib/nest-mark/prefer-${moveId}`;

export const netplan: Commands = {
  cannot: (network) => {
    const name = nameOf(network);
    if (network.security === 'wep') return 'Netplan, which rules its Wi-Fi, knows no WEP. Take another way.';
    if (name === null || /\p{Cc}/u.test(name))
      return 'The network’s name has octets that netplan, which rules its Wi-Fi, cannot write. Take another way.';
    return supplicant.cannot(network);
  },
  add: (network) => {
    const [before, behind] = file(network);
    return `${INTERFACE}
umask 077
printf '%s%s%s' ${shellWord(before)} "$i" ${shellWord(behind)} >"$d/network.yaml" || exit 3
rm -rf "$d/whole"
for part in lib etc run; do
    mkdir -p "$d/whole/$part/netplan" || exit 3
    for f in /$part/netplan/*.yaml; do [ ! -f "$f" ] || cp "$f" "$d/whole/$part/netplan/" || exit 3; done
done
cp "$d/network.yaml" "$d/whole${fileOf(network)}" || exit 3
why=$(netplan generate --root-dir "$d/whole" 2>&1)
code=$?
rm -rf "$d/whole"
if [ "$code" = 0 ]; then
${supplicant.add(network)}
else
    rm -f "$d/network.yaml"
    n=
    case $why in *'Duplicate access point SSID'*)
${numberOf(network)}
    esac
    # It is one that the board knows already, as where it came from: that one is used, with the key that it has.
    [ -n "$n" ] || { echo "$why" | sed -n 's/.*Error in network definition: //p' | head -n 1; exit ${String(REFUSED.notTaken)}; }
    echo "$n" >"$d/network"
fi`;
  },
  go: (network) => supplicant.go(network),
  undo: (network) => `rm -f "$d/network.yaml" ${program(network)}
for u in /etc/systemd/system/netplan-wpa-*.service.d/${dropIn(network)}; do
    [ ! -e "$u" ] || { rm -f "$u"; rmdir "\${u%/*}" 2>/dev/null; systemctl daemon-reload; }
done
if [ -e ${fileOf(network)} ]; then
    rm -f ${fileOf(network)}
    netplan generate
fi
${supplicant.undo(network)}`,
  // Not by its number: a board that was started in the middle of being kept has it under another one.
  isOn: (network) => `${INTERFACE}
${needOnNew(network)}`,
  keep: (network, priority) => `${INTERFACE}
${numberOf(network)}
[ -n "$n" ] || exit 5
${preferred(priority)}
if [ -e "$d/network.yaml" ]; then
    f=${fileOf(network)}
    umask 077
    cp "$d/network.yaml" "$f.new" && sync "$f.new" && mv -f "$f.new" "$f" && rm -f "$d/network.yaml" || exit ${String(REFUSED.notAsked)}
fi
netplan generate || exit ${String(REFUSED.notTaken)}
u=/etc/systemd/system/netplan-wpa-"$i".service.d/${dropIn(network)}
umask 022
mkdir -p "\${u%/*}" || exit ${String(REFUSED.notAsked)}
printf %s ${shellWord(preferring(network))} >${program(network)} && chmod 755 ${program(network)} || exit ${String(REFUSED.notAsked)}
printf '[Service]\\nExecStartPost=-%s %s %s\\n' ${program(network)} "$i" "$priority" >"$u" || exit ${String(REFUSED.notAsked)}
systemctl daemon-reload || true`,
  takeOff: (network, oldHex) => `${INTERFACE}
${needOnNew(network)}
${cutFromNetplan(oldHex, 'list')}
${forgotten(oldHex)}
[ "$gone" = 0 ] || [ "$cut" != 0 ] || exit ${String(TAKE_OFF_REFUSED.ofAnother)}`,
};
