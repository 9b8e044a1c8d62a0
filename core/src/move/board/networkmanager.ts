import { shellWord } from '../../formats/shell/word';
import { HEX, TAKE_OFF_REFUSED, type Commands, type NewNetwork } from './commands';
import { cutFromNetplan } from './netplan-file';

const profilePath = ({ moveId }: NewNetwork): string =>
  `/etc/NetworkManager/system-connections/nest-mark-${moveId}.nmconnection`;

/** Highest priority among what is saved; NetworkManager's own default is 0 (nm-settings(5), autoconnect-priority). */
const HIGHEST = `highest=$(nmcli -t -f UUID,AUTOCONNECT-PRIORITY connection show | awk -F: -v u="$uuid" '$1 != u && $2 + 0 > m { m = $2 + 0 } END { print m + 0 }')`;

/**
 * In a locale without such letters nmcli writes other ones for them. What netplan made is made anew with each start, so it
 * goes from netplan's file.
 */
const takeOff = (network: NewNetwork, oldHex: string): string => `ssid_of() {
    LC_ALL=C.UTF-8 nmcli -e no -g 802-11-wireless.ssid connection show uuid "$1" 2>/dev/null | tr -d '\\n' | ${HEX}
}
on=no
for u in $(nmcli -t -f UUID connection show --active); do
    if [ "$u" = ${network.uuid} ] || [ "$(ssid_of "$u")" = ${network.ssidHex} ]; then on=yes; fi
done
[ "$on" = yes ] || exit ${String(TAKE_OFF_REFUSED.notOnNew)}
old= made=
for u in $(nmcli -t -f UUID connection show); do
    [ "$u" != ${network.uuid} ] && [ "$(ssid_of "$u")" = ${oldHex} ] || continue
    if nmcli -t -f UUID,FILENAME connection show | grep -q "^$u:/run/"; then made="$made $u"; else old="$old $u"; fi
done
gone=0
if [ -n "$made" ]; then
command -v netplan >/dev/null || exit ${String(TAKE_OFF_REFUSED.ofAnother)}
${cutFromNetplan(oldHex, 'radio')}
nmcli connection reload
for u in $made; do
    ! nmcli -t -f UUID connection show | grep -qx "$u" || exit ${String(TAKE_OFF_REFUSED.ofAnother)}
    gone=$((gone + 1))
done
fi
for u in $old; do
    nmcli connection delete uuid "$u" >/dev/null || exit ${String(TAKE_OFF_REFUSED.refused)}
    gone=$((gone + 1))
done`;

export const networkManager: Commands = {
  cannot: () => null,
  add: (network) => `f=${profilePath(network)}
umask 077
nmcli -t -f UUID,TYPE,DEVICE connection show --active | awk -F: '$2 ~ /wireless/ { print $1; exit }' >"$d/old"
printf %s ${shellWord(network.keyfile)} >"$f.new" && mv -f "$f.new" "$f" && sync "$f" || exit 5
nmcli connection load "$f" || exit 6
nmcli -t -f UUID connection show | grep -qx ${network.uuid} || exit 7`,
  go: ({ uuid }) => `nmcli --wait 45 connection up uuid ${uuid}`,
  undo: (network) => `old=$(cat "$d/old" 2>/dev/null)
# Who is there already would only be cut off.
if [ -n "$old" ] && ! nmcli -t -f UUID connection show --active | grep -qx "$old"; then
    nmcli --wait 45 connection up uuid "$old"
fi
nmcli connection delete uuid ${network.uuid} 2>/dev/null
rm -f ${profilePath(network)}`,
  isOn: ({ uuid }) => `nmcli -t -f UUID connection show --active | grep -qx ${uuid}`,
  keep: ({ uuid }, priority) => `uuid=${uuid}
${HIGHEST}
priority=${String(priority)}
[ "$highest" -lt "$priority" ] || priority=$((highest + 1))
nmcli connection modify uuid "$uuid" connection.autoconnect yes connection.autoconnect-priority "$priority" || exit 8
[ "$(nmcli -t -g connection.autoconnect connection show uuid "$uuid")" = yes ] || exit 9`,
  takeOff,
};
