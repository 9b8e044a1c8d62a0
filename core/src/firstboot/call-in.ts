/**
 * What makes a board call the bench once, where the image has nothing of its own for it. The script is the same for every
 * board and reads where to call from a file, so that no value of a plan is read as shell. It takes itself away before it
 * calls: a board that was handed over must not go on calling.
 */

/** Where these lie on the running system. */
export const callInPlaces = {
  script: '/var/lib/nest-mark/call-in',
  unit: '/etc/systemd/system/nest-mark-call-in.service',
  where: '/etc/nest-mark-call-in',
} as const;

/** A system service (systemd.service(5)); the network is there by then (systemd.special(7), network-online.target). */
export const callInUnit = `[Unit]
Description=Tells the bench once that this board is up
Wants=network-online.target
After=network-online.target ssh.service sshd.service

[Service]
Type=oneshot
ExecStart=/bin/sh ${callInPlaces.script}
TimeoutStartSec=180
`;

/**
 * POSIX shell, with whatever program of the image can post: seven are tried in turn, since a minimal image has but one of
 * them (common practice). busybox is held by timeout, because some of its builds break down over -T.
 */
export const callInScript = `#!/bin/sh
# Tells the bench once that this board is up. It says where to look and no more.
set -u
from=${callInPlaces.where}
read -r host port path <"$from" || exit 0
# First of all it takes itself away: it calls after this start and never again.
rm -f "$from" ${callInPlaces.unit} \\
    /etc/systemd/system/multi-user.target.wants/nest-mark-call-in.service "$0"
text="hostname=$(uname -n)"

have() { command -v "$1" >/dev/null 2>&1; }

request() {
    printf 'POST %s HTTP/1.0\\r\\nHost: %s\\r\\n' "$path" "$host"
    printf 'Content-Type: application/x-www-form-urlencoded\\r\\nContent-Length: %s\\r\\n\\r\\n%s' "\${#text}" "$text"
}

call() {
    url=http://$host:$port$path
    have curl && curl -fsS -m 5 -o /dev/null --data "$text" "$url" && return
    have wget && wget -q -T 5 -t 1 -O /dev/null --post-data="$text" "$url" && return
    have busybox && timeout 5 busybox wget -q -O /dev/null --post-data "$text" "$url" && return
    have python3 && python3 -c 'import sys, urllib.request as r
r.urlopen(sys.argv[1], sys.argv[2].encode(), 5)' "$url" "$text" && return
    have perl && request | perl -MIO::Socket::INET -e '$s = IO::Socket::INET->new(PeerAddr => $ARGV[0],
        PeerPort => $ARGV[1], Timeout => 5) or exit 1; print $s join("", <STDIN>); $s->shutdown(1);
        exit((<$s> // "") !~ m{^HTTP/1[.]. 2})' "$host" "$port" && return
    # shellcheck disable=SC2016 # that is read by bash, not here
    have bash && request | timeout 5 bash -c 'exec 3<>"/dev/tcp/$0/$1" && cat >&3 &&
        read -r line <&3 && [[ $line == "HTTP/1."?" 2"* ]]' "$host" "$port" && return
    have nc && request | timeout 5 nc "$host" "$port" | grep -q '^HTTP/1[.]. 2'
}

try=1
until call; do
    [ "$try" -ge 5 ] && exit 1
    sleep "$((try * 3))"
    try=$((try + 1))
done
`;
