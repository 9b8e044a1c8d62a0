import { HEX, TAKE_OFF_REFUSED, type Commands, type NewNetwork } from './commands';

/** A supplicant's value: text of digits needs no quotes, everything else is given as octets or quoted (wpa_supplicant.conf(5)). */
const supplicantLines = ({ ssidHex, hidden, security, key }: NewNetwork): string[] => [
  `ssid ${ssidHex}`,
  ...(hidden ? ['scan_ssid 1'] : []),
  ...(security === 'open'
    ? ['key_mgmt NONE']
    : security === 'wep'
      ? ['key_mgmt NONE', `wep_key0 ${key}`]
      : security === 'wpa3-sae'
        ? ['key_mgmt SAE', 'ieee80211w 2', `sae_password "${key}"`]
        : ['key_mgmt WPA-PSK', `psk ${key}`]),
];

/** The interface that the supplicant works on. */
export const INTERFACE = `i=$(wpa_cli interface 2>/dev/null | awk '/^Selected interface|^Available interfaces|^> *$/ { next } !/^p2p-dev-/ && NF == 1 { print $1; exit }')
[ -n "$i" ] || exit 4`;

/** Octets of a network's name, by its number in the supplicant; they are told in quotes or as digits. */
export const SSID_OF = `ssid_of() {
    s=$(wpa_cli -i "$i" get_network "$1" ssid)
    case $s in
        '"'*) s=\${s#?}; printf %s "\${s%?}" | ${HEX} ;;
        *) printf %s "$s" ;;
    esac
}`;

const NUMBERS = `wpa_cli -i "$i" list_networks | awk -F'\\t' '$1 ~ /^[0-9]+$/ { print $1 }'`;
const CURRENT = `wpa_cli -i "$i" status | sed -n 's/^id=//p'`;

/** Puts network `$n` above all others, in memory; its priority is in `$priority` then. */
export const preferred = (priority: number): string => `highest=0
for o in $(${NUMBERS}); do
    p=$(wpa_cli -i "$i" get_network "$o" priority)
    case $p in '' | *[!0-9]*) continue ;; esac
    [ "$o" = "$n" ] || [ "$p" -le "$highest" ] || highest=$p
done
priority=${String(priority)}
[ "$highest" -lt "$priority" ] || priority=$((highest + 1))
wpa_cli -i "$i" set_network "$n" priority "$priority" | grep -qx OK || exit 6
wpa_cli -i "$i" enable_network all >/dev/null`;

/** Ends where the network of the move is not the one that is used. */
export const needOnNew = ({ ssidHex }: NewNetwork): string => `${SSID_OF}
on=$(${CURRENT})
[ -n "$on" ] && [ "$(ssid_of "$on")" = ${ssidHex} ] || exit ${String(TAKE_OFF_REFUSED.notOnNew)}`;

/** Removes every network of that name but the one in use, in memory, and counts them in `$gone`. */
export const forgotten = (oldHex: string): string => `gone=0
for o in $(${NUMBERS}); do
    [ "$o" != "$on" ] && [ "$(ssid_of "$o")" = ${oldHex} ] || continue
    wpa_cli -i "$i" remove_network "$o" | grep -qx OK || exit ${String(TAKE_OFF_REFUSED.refused)}
    gone=$((gone + 1))
done`;

/** It writes its file anew, readable by all. */
const SAVED = `wpa_cli -i "$i" save_config | grep -qx OK || exit ${String(TAKE_OFF_REFUSED.notSaved)}
for f in /etc/wpa_supplicant/wpa_supplicant-"$i".conf /etc/wpa_supplicant/wpa_supplicant.conf; do
    [ ! -f "$f" ] || chmod 600 "$f"
done`;

/**
 * wpa_cli ends with 0 also when it is refused, so its word is read. Secrets go by its input and stand in no list of
 * processes. Nothing is saved before proof: a reconfigure, and any start of the board, forgets it.
 */
export const supplicant: Commands = {
  cannot: ({ security, key }) =>
    security === 'wpa3-sae' && /["\\]/.test(key)
      ? 'The key has quotes or backslashes, which its supplicant does not take over a line. Put it on by hand.'
      : null,
  add: (network) => `${INTERFACE}
n=$(wpa_cli -i "$i" add_network | tail -n 1)
case $n in '' | *[!0-9]*) exit 5 ;; esac
echo "$n" >"$d/network"
refused=$(sed "s/^set_network N /set_network $n /" <<'NEST-MARK' | wpa_cli -i "$i" | grep -c '^[> ]*FAIL'
${supplicantLines(network)
  .map((line) => `set_network N ${line}`)
  .join('\n')}
quit
NEST-MARK
)
[ "$refused" = 0 ] || { wpa_cli -i "$i" remove_network "$n" >/dev/null; exit 6; }`,
  go: () => `${INTERFACE}
# An access point that refused a wrong key earlier is not asked again for a while; by its older name before 2.10.
wpa_cli -i "$i" bssid_ignore clear | grep -qx OK || wpa_cli -i "$i" blacklist clear >/dev/null
wpa_cli -i "$i" select_network "$(cat "$d/network")" | grep -qx OK`,
  undo: () => `${INTERFACE}
wpa_cli -i "$i" reconfigure | grep -qx OK
rm -f "$d/network"`,
  // Its number is another one after a start of the board; it had to be saved to be there then.
  isOn: (network) => `${INTERFACE}
if [ "$(cat "$d/boot")" = "$(cat /proc/sys/kernel/random/boot_id)" ]; then
    [ "$(${CURRENT})" = "$(cat "$d/network")" ]
else
${needOnNew(network)}
fi`,
  keep: (_network, priority) => `${INTERFACE}
n=$(cat "$d/network") || exit 5
${preferred(priority)}
${SAVED}`,
  takeOff: (network, oldHex) => `${INTERFACE}
${needOnNew(network)}
${forgotten(oldHex)}
if [ "$gone" != 0 ]; then
${SAVED}
fi`,
};
