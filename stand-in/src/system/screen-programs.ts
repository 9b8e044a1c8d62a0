/**
 * Stand-in for a remote screen's service, as a package of the practice repository brings it: it reads its settings as the
 * real one does (its settings file's own examples), and who listens is written down where the kernel of a board tells it
 * (proc(5)): in a scratch root there is nothing to show.
 */

const xrdp = `#!/bin/sh
case $1 in
    up)
        [ -f /etc/xrdp/xrdp.ini ] || { echo 'no settings' >&2; exit 1; }
        awk '/^\\[/ { globals = ($0 ~ /^\\[Globals\\]/) } globals && sub(/^port=/, "") { gsub(/ /, "\\n"); print }' /etc/xrdp/xrdp.ini |
            while read -r port; do
                echo "[INFO ] listening to port $port" >>/var/log/xrdp.log
                case $port in
                    tcp://.:*) host=0100007F ;;
                    tcp://:* | [0-9]*) host=00000000 ;;
                    *) echo "unknown port $port" >&2; exit 1 ;;
                esac
                printf '   9: %s:%04X 00000000:0000 0A 00000000:00000000 00:00000000 00000000 0 0 9 1\\n' "$host" "\${port##*:}"
            done >>/proc/net/tcp ;;
    down) sed -i '/^   9: /d' /proc/net/tcp ;;
esac
`;

export const screenPrograms: Readonly<Record<string, string>> = { xrdp };

/** Its settings as they come: open to everybody, and with ports of sessions that are not the service's own. */
export const screenSettings = `[Globals]
; ports to listen on, number alone means listen on all interfaces
;   port=tcp://.:3389                           127.0.0.1:3389
port=3389
fork=true

[Xorg]
name=Xorg
port=-1

[any]
port=ask3389
`;
