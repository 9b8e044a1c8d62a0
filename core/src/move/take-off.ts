import { INTERFACE, type NetManager, type NewNetwork } from './on-board';

/**
 * Takes a network off a board that is on another one. It cannot be undone from there, so the board itself has to say that
 * it is on the new one; whatever else it has saved stays.
 */

/** How the lines of `takeOffNetwork` end where nothing was taken off. */
export const TAKE_OFF_REFUSED = {
  notOnNew: 30,
  ofAnother: 31,
  refused: 32,
  notSaved: 7,
} as const;

/** Octets of what is piped in, as hexadecimal digits. */
const HEX = `od -An -v -tx1 | tr -d ' \\n'`;

/** In a locale without such letters nmcli writes other ones for them. */
const networkManager = (network: NewNetwork, oldHex: string): string => `ssid_of() {
    LC_ALL=C.UTF-8 nmcli -e no -g 802-11-wireless.ssid connection show uuid "$1" 2>/dev/null | tr -d '\\n' | ${HEX}
}
on=no
for u in $(nmcli -t -f UUID connection show --active); do
    if [ "$u" = ${network.uuid} ] || [ "$(ssid_of "$u")" = ${network.ssidHex} ]; then on=yes; fi
done
[ "$on" = yes ] || exit ${String(TAKE_OFF_REFUSED.notOnNew)}
gone=0
for u in $(nmcli -t -f UUID connection show); do
    [ "$u" != ${network.uuid} ] && [ "$(ssid_of "$u")" = ${oldHex} ] || continue
    # What another program makes anew with each start would be back.
    nmcli -t -f UUID,FILENAME connection show | grep -q "^$u:/run/" && exit ${String(TAKE_OFF_REFUSED.ofAnother)}
    nmcli connection delete uuid "$u" >/dev/null || exit ${String(TAKE_OFF_REFUSED.refused)}
    gone=$((gone + 1))
done`;

const supplicant = (network: NewNetwork, oldHex: string): string => `${INTERFACE}
ssid_of() {
    s=$(wpa_cli -i "$i" get_network "$1" ssid)
    case $s in
        '"'*) s=\${s#?}; printf %s "\${s%?}" | ${HEX} ;;
        *) printf %s "$s" ;;
    esac
}
on=$(wpa_cli -i "$i" status | sed -n 's/^id=//p')
[ -n "$on" ] && [ "$(ssid_of "$on")" = ${network.ssidHex} ] || exit ${String(TAKE_OFF_REFUSED.notOnNew)}
gone=0
for o in $(wpa_cli -i "$i" list_networks | awk -F'\\t' '$1 ~ /^[0-9]+$/ { print $1 }'); do
    [ "$o" != "$on" ] && [ "$(ssid_of "$o")" = ${oldHex} ] || continue
    wpa_cli -i "$i" remove_network "$o" | grep -qx OK || exit ${String(TAKE_OFF_REFUSED.refused)}
    gone=$((gone + 1))
done
if [ "$gone" != 0 ]; then
    wpa_cli -i "$i" save_config | grep -qx OK || exit ${String(TAKE_OFF_REFUSED.notSaved)}
    for f in /etc/wpa_supplicant/wpa_supplicant-"$i".conf /etc/wpa_supplicant/wpa_supplicant.conf; do
        [ ! -f "$f" ] || chmod 600 "$f"
    done
fi`;

/**
 * Lines of shell, as root, that take every saved network of a name off a board; they print `gone N`.
 * @param oldHex octets of the old network's name, in hexadecimal digits
 */
export const takeOffNetwork = (manager: NetManager, network: NewNetwork, oldHex: string): string =>
  `${manager === 'networkmanager' ? networkManager(network, oldHex) : supplicant(network, oldHex)}
echo "gone $gone"`;

/** How many networks were taken off, from what the lines printed; null where they did not come to their end. */
export function readTakenOff(text: string): number | null {
  const [, count] = /^gone (\d{1,4})$/m.exec(text) ?? [];
  return count === undefined ? null : Number(count);
}
