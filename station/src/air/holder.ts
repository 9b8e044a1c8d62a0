/**
 * Holds an adapter for a trial, as a process of its own that outlives this program: it gives the adapter back when its
 * input ends, which it also does when this program is killed. Arguments: the adapter, a folder for it.
 *
 * Where NetworkManager rules the adapter it lets go of it for the time, and afterwards goes back to the profile that was
 * in use. Where a supplicant of its own has it, the trial is one more network of that supplicant: afterwards it is removed,
 * and those are on again that were on before; nothing is saved. It prints `ready`, and at last `back`; that nobody reads it
 * any more does not end it either.
 */
export const HOLDER = `trap : HUP INT TERM PIPE
i=$1 d=$2
mkdir -m 700 "$d" || { echo taken; exit 3; }
ruled= old= up= theirs= listed= joined=
if [ "$(nmcli -t -g GENERAL.NM-MANAGED device show "$i" 2>/dev/null)" = yes ]; then
    ruled=yes
    old=$(nmcli -t -g GENERAL.CON-UUID device show "$i")
fi
[ -n "$(ip -o link show dev "$i" up)" ] && up=yes
state() { wpa_cli -i "$i" status 2>/dev/null | sed -n 's/^wpa_state=//p'; }
if [ -z "$ruled" ] && [ -n "$(state)" ]; then
    theirs=yes joined=$(state)
    listed=$(wpa_cli -i "$i" list_networks | sed 1d | awk -F '\\t' '{ print $1 (index($4, "[DISABLED]") ? "off" : "on") }')
fi
# What was not listed before is removed, and each network is on or off as it was.
unlist() {
    for n in $(wpa_cli -i "$i" list_networks | sed 1d | cut -f 1); do
        case " $(echo $listed) " in
            *" \${n}on "* | *" \${n}off "*) ;;
            *) wpa_cli -i "$i" remove_network "$n" ;;
        esac
    done
    for n in $listed; do
        case $n in *on) wpa_cli -i "$i" enable_network "\${n%on}" ;; *off) wpa_cli -i "$i" disable_network "\${n%off}" ;; esac
    done
    wpa_cli -i "$i" bssid_ignore clear
    wpa_cli -i "$i" reassociate
    tries=0
    while [ "$joined" = COMPLETED ] && [ "$(state)" != COMPLETED ] && [ "$tries" -lt 300 ]; do tries=$((tries + 1)); sleep 0.1; done
}
back() {
    [ -z "$theirs" ] || unlist >/dev/null
    [ ! -s "$d/pid" ] || kill "$(cat "$d/pid")" 2>/dev/null
    tries=0
    while [ -s "$d/pid" ] && kill -0 "$(cat "$d/pid")" 2>/dev/null && [ "$tries" -lt 50 ]; do tries=$((tries + 1)); sleep 0.1; done
    [ ! -s "$d/pid" ] || kill -9 "$(cat "$d/pid")" 2>/dev/null
    [ -n "$up" ] || [ -n "$theirs" ] || ip link set dev "$i" down
    if [ -n "$ruled" ]; then
        nmcli device set "$i" managed yes
        [ -z "$old" ] || nmcli --wait 40 connection up uuid "$old" ifname "$i" >/dev/null
    fi
    rm -rf "$d"
    echo back
}
[ -z "$ruled" ] || nmcli device set "$i" managed no || { ruled=; back; exit 4; }
ip link set dev "$i" up || { back; exit 5; }
umask 077
if [ -n "$theirs" ]; then
    for c in /run/wpa_supplicant /var/run/wpa_supplicant; do [ ! -S "$c/$i" ] || ln -sfn "$c" "$d/ctl"; done
    [ -e "$d/ctl" ] || { back; exit 7; }
    wpa_cli -i "$i" bssid_ignore clear >/dev/null
    echo ready
    cat >/dev/null
    back
    exit
fi
printf 'ctrl_interface=%s\\n' "$d/ctl" >"$d/conf"
wpa_supplicant -B -i "$i" -D nl80211 -c "$d/conf" -P "$d/pid" -f /dev/null >/dev/null || { back; exit 6; }
echo ready
cat >/dev/null
back`;
