/** How a job on a board has packages fetched and installed (apt-get(8), apt.conf(5), dpkg(1)). */

/** It asks nothing, tells how far it is, waits for what another program holds, and leaves changed settings as they are. */
export const aptOptions = `-o APT::Status-Fd=3 -o Dpkg::Use-Pty=0 -o Dpkg::Options::=--force-confdef \\
        -o Dpkg::Options::=--force-confold -o DPkg::Lock::Timeout=600`;

/** Functions for a job's script: `fetch` is the package manager, `lists` fetches its lists whole. */
export const packageManager = `# Through a line that is lent to it, where one is; encrypted sources pass that by.
fetch() {
    if [ -s "$d/proxy" ]; then
        apt-get -o "Acquire::http::Proxy=$(cat "$d/proxy")" -o Acquire::https::Proxy=DIRECT "$@"
    else
        apt-get "$@"
    fi
}
from=1
mark() { from=$(($(wc -c <"$d/log") + 1)); }
# What another program holds, and a lent line that broke, comes back by itself.
passing() {
    tail -c +"$from" "$d/log" |
        grep -qE 'Could not get lock|is another process using it|(connect|Connection (failed|timed out|reset)|Error reading from server).*127\\.0\\.0\\.1'
}
lists() {
    tries=0
    while :; do
        mark
        fetch -q -o APT::Status-Fd=3 -o APT::Update::Error-Mode=any update 3>>"$d/status"
        code=$?
        [ "$code" -eq 0 ] && return 0
        tries=$((tries + 1))
        # Lists have a lock of their own, for which apt-get does not wait.
        if passing && [ "$tries" -lt 200 ]; then sleep 3; continue; fi
        [ "$tries" -lt 3 ] || return "$code"
        sleep 2
    done
}
`;
