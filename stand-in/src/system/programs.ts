/**
 * Stand-ins for programs that need a running system: they keep their state in files of the scratch root and answer in
 * the words of the real ones. What changes the board itself (reboot, poweroff, a service) is told over a pipe of its
 * own. The package manager is no stand-in: the workstation's own runs on the root's own packages.
 */
import { lent } from './lent';

/** Where the programs lie; the root has it as /usr/local. */
export const LOCAL = '/board/local';
/** Descriptor on which programs tell what is to happen to the board. */
const ORDERS = 9;

const systemctl = `#!/bin/sh
units=/run/board/units
wanted=/etc/systemd/system/multi-user.target.wants
masks=/etc/systemd/system
# The services that packages of the practice repository bring, and what starts and stops them.
tool() {
    case $1 in
        wg-quick@?*.service) [ -x /usr/local/bin/wg-quick ] ;;
        xrdp.service) [ -x /usr/local/bin/xrdp ] ;;
        *) return 1 ;;
    esac
}
turn() {
    case $1 in
        xrdp.service) xrdp "$2" ;;
        *) name=\${1#wg-quick@}; wg-quick "$2" "\${name%.service}" ;;
    esac
}
verb=
unit=
for word; do
    case $word in
        -*) ;;
        *) if [ -z "$verb" ]; then verb=$word; elif [ -z "$unit" ]; then unit=$word; fi ;;
    esac
done
case $verb in
    reboot | poweroff)
        if [ "$(/usr/bin/id -u)" != 0 ]; then
            echo 'Interactive authentication required.' >&2
            exit 1
        fi
        echo "$verb" >&${String(ORDERS)} ;;
    is-system-running)
        if [ -f /run/board/starting ]; then echo starting; exit 1; fi
        if [ -s /board/failed-units ]; then echo degraded; exit 1; fi
        echo running ;;
    list-units) sed 's/$/ loaded failed failed Practice/' /board/failed-units 2>/dev/null ;;
    is-active)
        if [ -f "$units/$unit" ] || [ "$unit" = NetworkManager ]; then echo active; else echo inactive; exit 3; fi ;;
    is-enabled)
        if [ -L "$masks/$unit" ]; then echo masked; exit 1; fi
        if [ -L "$wanted/$unit" ]; then echo enabled; elif tool "$unit"; then echo disabled; exit 1; else
            echo "Failed to get unit file state for $unit: No such file or directory" >&2
            exit 1
        fi ;;
    mask)
        [ "$(/usr/bin/id -u)" = 0 ] || { echo 'Access denied' >&2; exit 1; }
        mkdir -p "$masks" && ln -sf /dev/null "$masks/$unit" ;;
    unmask) rm -f "$masks/$unit" ;;
    stop)
        # Those that a timer or a job made.
        for unit in "$@"; do case $unit in nest-mark-*) rm -f "$units/$unit" ;; *@*.service | xrdp.service) "$0" stop-one "$unit" ;; esac; done ;;
    enable | disable | start | stop-one | restart)
        if [ -L "$masks/$unit" ]; then
            echo "Failed to $verb $unit: Unit $unit is masked." >&2
            exit 1
        fi
        tool "$unit" || {
            echo "Failed to $verb unit: Unit file $unit does not exist." >&2
            exit 5
        }
        case $verb in
            enable) mkdir -p "$wanted" && ln -sf "/usr/lib/systemd/system/$unit" "$wanted/$unit" ;;
            disable) rm -f "$wanted/$unit" ;;
        esac
        case $verb in
            stop-one | restart) [ ! -f "$units/$unit" ] || { turn "$unit" down; rm -f "$units/$unit"; } ;;
        esac
        case $verb in
            start | restart)
                [ -f "$units/$unit" ] || {
                    turn "$unit" up || {
                        echo "Job for $unit failed because the control process exited with error code." >&2
                        exit 1
                    }
                    : >"$units/$unit"
                } ;;
        esac ;;
    *) ;;
esac
exit 0
`;

const systemdRun = `#!/bin/sh
unit=
path=
on=
while [ $# -gt 0 ]; do
    case $1 in
        --unit=*) unit=\${1#--unit=} ;;
        --on-active=*) on=\${1#--on-active=} ;;
        -*) ;;
        *) break ;;
    esac
    shift
done
mkdir -p /run/board/units
kind=service
[ -z "$on" ] || kind=timer
nonce=$$-$(/usr/bin/date +%N)
if ! (set -C && echo "$nonce" >"/run/board/units/$unit.$kind") 2>/dev/null; then
    echo "Failed to start transient $kind unit: Unit $unit.$kind was already loaded or has a fragment file." >&2
    exit 1
fi
if [ -z "$on" ]; then echo "unit $unit $*" >&${String(ORDERS)}; else echo "timer $unit $on $nonce $*" >&${String(ORDERS)}; fi
`;

const timedatectl = `#!/bin/sh
case "$*" in
    *NTPSynchronized*) if [ -f /board/clock-slow ]; then echo no; else echo yes; fi ;;
    *'-p NTP '*) if [ -f /board/clock-loose ]; then echo no; else echo yes; fi ;;
    'set-ntp true') [ -f /board/no-time-server ] || rm -f /board/clock-loose /board/clock-slow ;;
esac
`;

// A slow clock is as far behind as its file says.
const date = `#!/bin/sh
if [ -f /board/clock-slow ] && [ "$1" = +%s ]; then
    echo "$(($(/usr/bin/date +%s) - $(cat /board/clock-slow)))"
else
    exec /usr/bin/date "$@"
fi
`;

const hostnamectl = `#!/bin/sh
case $1 in
    --static) cat /etc/hostname ;;
    set-hostname | hostname) echo "$2" >/etc/hostname ; cp /etc/hostname /run/board/name ;;
esac
`;

const uname = `#!/bin/sh
case $1 in
    -n) cat /run/board/name ;;
    -r) newest=$(ls -1 /lib/modules 2>/dev/null | sort -V | tail -n 1); echo "\${newest:-6.1.0-practice}" ;;
    *) exec /usr/bin/uname "$@" ;;
esac
`;

const findmnt = `#!/bin/sh
case "$*" in
    *TARGET*)
        for last; do :; done
        if [ "$last" = "$(cat /board/mounted-at)" ]; then echo "$last"; else echo /; fi ;;
    *SOURCE,SIZE*) echo "/dev/card0p2 $(cat /board/root-size)" ;;
    *OPTIONS*) if [ -f /board/read-only ]; then echo ro,noatime; else echo rw,noatime; fi ;;
    *SOURCE*) echo /dev/card0p2 ;;
esac
`;

const lsblk = `#!/bin/sh
case "$*" in
    *PKNAME*) echo card0 ;;
    *SIZE*) cat /board/card-size ;;
esac
`;

const dd = `#!/bin/sh
case "$*" in
    *if=/dev/card0*)
        echo '16+0 records in'
        echo '16+0 records out'
        awk -v r="$(cat /board/card-rate)" 'BEGIN { printf "16777216 bytes (17 MB, 16 MiB) copied, %.5f s, %.1f MB/s\\n", 16.777216 / r, r }'
        ;;
    *) exec /usr/bin/dd "$@" ;;
esac
`;

const df = `#!/bin/sh
case "$*" in
    -iP*)
        echo 'Filesystem Inodes IUsed IFree IUse% Mounted on'
        echo '/dev/card0p2 900000 61000 839000 7% /' ;;
    *)
        size=$(($(cat /board/root-size) / 1024))
        free=$(($(cat /board/root-free) / 1024))
        echo 'Filesystem 1024-blocks Used Available Capacity Mounted on'
        echo "/dev/card0p2 $size $((size - free)) $free $(((size - free) * 100 / size))% /" ;;
esac
`;

const journalctl = `#!/bin/sh
pattern=.
before=
for word; do
    [ "$before" = -g ] && pattern=$word
    before=$word
done
grep -iE "$pattern" /board/kernel.log
`;

const iw = `#!/bin/sh
case "$*" in
    'reg get') printf 'global\\ncountry %s: DFS-ETSI\\n' "$(cat /board/country)" ;;
    *link)
        on=$(cat /run/board/ssid 2>/dev/null)
        [ -n "$on" ] || { echo 'Not connected.'; exit 0; }
        printf 'Connected to 02:00:5e:00:00:01 (on wlan0)\\n\\tSSID: '
        for o in $(echo "$on" | tr ';' ' '); do
            if [ "$o" -ge 32 ] && [ "$o" -lt 127 ] && [ "$o" != 92 ]; then printf "\\\\$(printf %03o "$o")"; else printf '\\\\x%02x' "$o"; fi
        done
        printf '\\n\\tfreq: 2437\\n\\tsignal: %s dBm\\n' "$(cat /board/signal)" ;;
esac
`;

const sshd = `#!/bin/sh
value() {
    word=$(cat /etc/ssh/sshd_config.d/*.conf /etc/ssh/sshd_config 2>/dev/null | awk -v k="$1" 'tolower($1) == k { print tolower($2); exit }')
    echo "$1 \${word:-$2}"
}
[ "$(/usr/bin/id -u)" = 0 ] || { echo 'sshd: no hostkeys available -- exiting.' >&2; exit 1; }
value permitrootlogin prohibit-password
value pubkeyauthentication yes
value passwordauthentication yes
value kbdinteractiveauthentication no
`;

const locale = `#!/bin/sh
[ "$1" = -a ] || exec /usr/bin/locale "$@"
printf 'C\\nC.utf8\\nPOSIX\\n'
[ -f /board/no-locale ] || sed -n 's/^LANG=//p' /etc/default/locale 2>/dev/null | sed 's/UTF-8/utf8/'
`;

const cloudInit = `#!/bin/sh
if [ -f /run/board/starting ]; then echo 'status: running'; else echo "status: $(cat /board/seed-status)"; fi
`;

const nmcli = `#!/bin/sh
dir=/etc/NetworkManager/system-connections
get() { sed -n "s/^$2=//p" "$1" | head -n 1; }
# A name as octets, however its file has it.
name() {
    value=$(get "$1" ssid)
    case $value in
        *[!0-9\\;]*) printf %s "$value" | od -An -v -tu1 | tr -s ' \\n' ';' | sed 's/^;//; s/;*$/;/' ;;
        *) printf %s "$value" ;;
    esac
}
file_of() {
    for f in "$dir"/*; do
        if [ "$(get "$f" uuid)" = "$1" ]; then echo "$f"; return; fi
    done
    echo "Error: $1 - no such connection profile." >&2
    exit 10
}
fields=NAME,UUID,TYPE,DEVICE
while :; do
    case $1 in
        -t) ;;
        -e) shift ;;
        -f | -g | --wait) [ "$1" = --wait ] || fields=$2; shift ;;
        *) break ;;
    esac
    shift
done
[ "$(/usr/bin/id -u)" = 0 ] || { echo 'Error: Insufficient privileges.' >&2; exit 1; }
command=$2
shift 2
case $command in
    show)
        if [ "$1" = uuid ]; then
            f=$(file_of "$2") || exit 10
            if [ "$fields" = 802-11-wireless.ssid ]; then
                for o in $(name "$f" | tr ';' ' '); do printf "\\\\$(printf %03o "$o")"; done
                echo
            elif [ "$(get "$f" autoconnect)" = false ]; then echo no; else echo yes; fi
            exit 0
        fi
        for f in "$dir"/*.nmconnection; do
            [ -f "$f" ] || continue
            on=no
            [ "$(name "$f")" != "$(cat /run/board/ssid)" ] || on=yes
            [ "$1" != --active ] || [ "$on" = yes ] || continue
            line=
            for field in $(echo "$fields" | tr , ' '); do
                case $field in
                    NAME) value=$(get "$f" id | sed 's/[\\\\:]/\\\\&/g') ;;
                    UUID) value=$(get "$f" uuid) ;;
                    TYPE) value=802-11-wireless ;;
                    AUTOCONNECT) value=yes; [ "$(get "$f" autoconnect)" != false ] || value=no ;;
                    AUTOCONNECT-PRIORITY) value=$(get "$f" autoconnect-priority); value=\${value:-0} ;;
                    ACTIVE) value=$on ;;
                    FILENAME) value=$f ;;
                    DEVICE) value=; [ "$on" = no ] || value=wlan0 ;;
                esac
                line=\${line:+$line:}$value
            done
            echo "$line"
        done ;;
    load)
        [ "$(stat -c %a "$1" 2>/dev/null)" = 600 ] || { echo "Could not load file '$1'" >&2; exit 10; }
        # A board that takes the key over wrongly: its first sign is another one.
        [ ! -f /board/mangles-key ] || sed -i 's/^psk=[0-8]/psk=9/; t; s/^psk=./psk=0/' "$1" ;;
    up)
        f=$(file_of "$2") || exit 10
        : >/run/board/joined
        echo "join $2" >&${String(ORDERS)}
        tries=0
        while [ "$tries" -lt 600 ]; do
            case $(tail -n 1 /run/board/joined 2>/dev/null) in
                "$2 ok") echo "Connection successfully activated"; exit 0 ;;
                "$2 no") echo 'Error: Connection activation failed: (7) Secrets were required, but not provided.' >&2; exit 4 ;;
            esac
            tries=$((tries + 1))
            sleep 0.1
        done
        echo 'Error: Timeout expired (45 seconds)' >&2
        exit 3 ;;
    down) ;;
    delete) f=$(file_of "$2") || exit 10; rm -f "$f" ;;
    modify)
        f=$(file_of "$2") || exit 10
        shift 2
        while [ $# -gt 1 ]; do
            key=\${1#connection.}
            value=$2
            [ "$1" != connection.autoconnect ] || { if [ "$2" = yes ]; then value=true; else value=false; fi; }
            sed -i "/^$key=/d; s/^type=wifi$/&\\n$key=$value/" "$f"
            shift 2
        done ;;
esac
`;

/** Programs of every board, and those of one that takes a seed. */
export const programs: Readonly<Record<string, string>> = {
  systemctl,
  nmcli,
  'systemd-run': systemdRun,
  reboot: '#!/bin/sh\nexec systemctl reboot\n',
  poweroff: '#!/bin/sh\nexec systemctl poweroff\n',
  hostname: '#!/bin/sh\ncat /run/board/name\n',
  timedatectl,
  date,
  hostnamectl,
  uname,
  findmnt,
  lsblk,
  dd,
  df,
  journalctl,
  iw,
  sshd,
  locale,
  lent,
};
export const seedPrograms: Readonly<Record<string, string>> = { 'cloud-init': cloudInit };
