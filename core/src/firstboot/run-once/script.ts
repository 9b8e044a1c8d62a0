import { callInPlaces } from '../call-in';
import { OWN_SERVICE_PATH } from '../own-service';

/**
 * The script that a board runs once. It is the same for every board: what differs lies beside it in files, so that no
 * value of a plan is ever read as shell. POSIX shell (POSIX.1-2017, "Shell Command Language") with the programs of
 * Debian's base system.
 *
 * Every step brings about an end state and can be done again. The kernel's command line is put back last, so a board
 * that loses its power in between starts over at the next boot. A step that fails is told in the log and does not stop
 * the others: the board has to come up.
 */
export const runOnceScript = `#!/bin/sh
# Sets this board up from the folder beside it, once, and takes itself away.
set -u
umask 077
PATH=/usr/sbin:/usr/bin:/sbin:/bin
export PATH

boot=$(dirname "$0")
from=$boot/run-once
old=$boot/run-once.old
mount -o remount,rw "$boot" 2>/dev/null
exec >>"$boot/run-once.log" 2>&1
echo "begun $(date -u '+%Y-%m-%d %H:%M:%S') UTC by this board's clock"

failed() { echo "FAILED: $*"; }

# put MODE FILE PATH: a file as a whole or not at all, also when the power goes.
put() {
    {
        (umask 022 && mkdir -p "$(dirname "$3")") && cp "$2" "$3.new" && chown 0:0 "$3.new" &&
            chmod "$1" "$3.new" && mv -f "$3.new" "$3"
    } || failed "$3"
}

# own PATH: what lies in a user's home is that user's, with the folders that lead there.
own() {
    case $1 in /home/*/*) ;; *) return ;; esac
    rest=\${1#/home/}
    name=\${rest%%/*}
    at=/home/$name
    id -u "$name" >/dev/null 2>&1 || return
    while [ "$rest" != "\${rest#*/}" ]; do
        rest=\${rest#*/}
        at=$at/\${rest%%/*}
        chown -h "$name:" "$at" || failed "owner of $at"
    done
}

# line PATH TEXT: a file of one line.
line() {
    {
        mkdir -p "$(dirname "$1")" && printf '%s\\n' "$2" >"$1.new" &&
            chmod 644 "$1.new" && mv -f "$1.new" "$1"
    } || failed "$1"
}

first() { head -n 1 "$1" | tr -d '\\r'; }

set_name() {
    name=$(first "$from/host-name")
    line /etc/hostname "$name"
    hostname "$name" 2>/dev/null || true
    touch /etc/hosts
    { grep -v '^127\\.0\\.1\\.1[[:space:]]' /etc/hosts; echo "127.0.1.1 $name"; } >/etc/hosts.new
    { chmod 644 /etc/hosts.new && mv -f /etc/hosts.new /etc/hosts; } || failed /etc/hosts
}

# set_user NAME HASH SUDO GROUPS, the groups with commas between.
set_user() {
    if ! id "$1" >/dev/null 2>&1; then
        # The group may be there already: of the image, or made just before a cut.
        if getent group "$1" >/dev/null; then
            useradd -m -s /bin/bash -g "$1" "$1" || failed "user $1"
        else
            useradd -m -s /bin/bash "$1" || failed "user $1"
        fi
    fi
    # A cut may have come after the user was written and before its group was.
    gid=$(id -g "$1" 2>/dev/null) || return
    getent group "$gid" >/dev/null || groupadd -g "$gid" "$1" || failed "group of $1"
    usermod -p "$2" "$1" || failed "password of $1"
    home=$(getent passwd "$1" | cut -d: -f6)
    [ -n "$home" ] || return
    if [ ! -d "$home" ]; then
        mkdir -p "$(dirname "$home")" && cp -a /etc/skel "$home" && chown -R "$1:" "$home"
    fi
    chmod 755 "$home"
    for group in $(echo "$4" | tr ',' ' '); do
        getent group "$group" >/dev/null && { usermod -a -G "$group" "$1" || failed "group $group"; }
    done
    case $3 in
        free) rule="$1 ALL=(ALL:ALL) NOPASSWD: ALL" ;;
        ask) rule="$1 ALL=(ALL:ALL) ALL" ;;
        *) rule= ;;
    esac
    rm -f "/etc/sudoers.d/nest-$1"
    if [ -n "$rule" ]; then
        mkdir -p /etc/sudoers.d
        echo "$rule" >/etc/sudoers.d/nest.new
        chmod 440 /etc/sudoers.d/nest.new && mv -f /etc/sudoers.d/nest.new "/etc/sudoers.d/nest-$1"
    fi
    if [ -f "$from/keys/$1" ]; then
        mkdir -p "$home/.ssh" && chmod 700 "$home/.ssh"
        put 600 "$from/keys/$1" "$home/.ssh/authorized_keys"
        chown -R "$1:" "$home/.ssh"
    fi
}

set_users() {
    # What a cut while users were being written left behind; nothing else runs yet.
    for file in passwd shadow group gshadow subuid subgid; do
        rm -f "/etc/$file.lock" "/etc/$file+" "/etc/$file".[0-9]*
    done
    { pwconv && grpconv; } || failed "shadow files"
    while IFS=: read -r name hash sudo groups; do
        [ -n "$name" ] && set_user "$name" "$hash" "$sudo" "$groups"
    done <"$from/users"
}

set_login() {
    put 644 "$from/login" /etc/ssh/sshd_config.d/10-nest.conf
    if [ -f /etc/ssh/sshd_config ] && ! grep -q '^Include /etc/ssh/sshd_config\\.d/' /etc/ssh/sshd_config; then
        { echo 'Include /etc/ssh/sshd_config.d/*.conf'; cat /etc/ssh/sshd_config; } >/etc/ssh/sshd_config.new
        chmod 644 /etc/ssh/sshd_config.new && mv -f /etc/ssh/sshd_config.new /etc/ssh/sshd_config
    fi
    for unit in ssh sshd; do
        for folder in /lib/systemd/system /usr/lib/systemd/system; do
            [ -f "$folder/$unit.service" ] || continue
            mkdir -p /etc/systemd/system/multi-user.target.wants
            ln -sf "$folder/$unit.service" "/etc/systemd/system/multi-user.target.wants/$unit.service"
            return
        done
    done
}

set_host_key() {
    # A service of the image that makes keys anew would throw this one away.
    for unit in /etc/systemd/system/*.wants/*.service; do
        grep -q 'rm .*ssh_host_' "$unit" 2>/dev/null && rm -f "$unit"
    done
    # Keys that the image shipped are those of every copy of it.
    for key in /etc/ssh/ssh_host_*; do
        case $key in */ssh_host_ed25519_key | */ssh_host_ed25519_key.pub | *'*') continue ;; esac
        rm -f "$key"
    done
    put 600 "$from/host-key" /etc/ssh/ssh_host_ed25519_key
    put 644 "$from/host-key.pub" /etc/ssh/ssh_host_ed25519_key.pub
}

# An id that the image shipped is that of every copy of it; the next start makes one for an empty file (machine-id(5)).
set_machine_id() {
    [ -s /etc/machine-id ] || return
    : >/etc/machine-id || failed /etc/machine-id
    [ -L /var/lib/dbus/machine-id ] || rm -f /var/lib/dbus/machine-id
}

# Its settings are on the card: a cloud-init of the image must not make keys, names, users and networks of its own.
set_cloud_init() {
    [ -d /etc/cloud ] || return
    to=/etc/cloud/cloud.cfg.d/99-nest.cfg
    {
        mkdir -p "\${to%/*}" && cat >"$to.new" <<'END' && chmod 644 "$to.new" && mv -f "$to.new" "$to"
ssh_deletekeys: false
preserve_hostname: true
manage_etc_hosts: false
network: {config: disabled}
users: []
locale: "false"
END
    } || failed "$to"
}

set_networks() {
    for file in "$from"/networks/*.nmconnection; do
        [ -f "$file" ] && put 600 "$file" "/etc/NetworkManager/system-connections/\${file##*/}"
    done
    # A radio that was switched off stays off otherwise.
    for switch in /var/lib/systemd/rfkill/*:wlan; do
        [ -f "$switch" ] && echo 0 >"$switch"
    done
}

set_time_zone() {
    zone=$(first "$from/time-zone")
    [ -f "/usr/share/zoneinfo/$zone" ] || failed "time zone $zone is not on this image"
    ln -sfn "/usr/share/zoneinfo/$zone" /etc/localtime
    line /etc/timezone "$zone"
}

set_locale() {
    locale=$(first "$from/locale")
    line /etc/default/locale "LANG=$locale"
    # C.UTF-8 is always there.
    if [ -f /etc/locale.gen ] && [ "$locale" != C.UTF-8 ]; then
        grep -v "^#* *$locale " /etc/locale.gen >/etc/locale.gen.new
        echo "$locale UTF-8" >>/etc/locale.gen.new
        chmod 644 /etc/locale.gen.new && mv -f /etc/locale.gen.new /etc/locale.gen
        command -v locale-gen >/dev/null && { locale-gen >/dev/null || failed locale-gen; }
    fi
}

set_files() {
    while IFS=' ' read -r mode number path; do
        [ -n "$path" ] || continue
        put "$mode" "$from/files/$number" "$path"
        own "$path"
    done <"$from/files/list"
}

set_call_in() {
    put 755 "$from/call-in/script" ${callInPlaces.script}
    put 644 "$from/call-in/unit" ${callInPlaces.unit}
    put 644 "$from/call-in/where" ${callInPlaces.where}
    wants=/etc/systemd/system/multi-user.target.wants
    { mkdir -p "$wants" && ln -sfn ${callInPlaces.unit} "$wants/nest-mark-call-in.service"; } ||
        failed "calling in"
}

if [ -d "$from" ]; then
    [ -f "$from/host-name" ] && set_name
    [ -f "$from/users" ] && set_users
    [ -f "$from/login" ] && set_login
    [ -f "$from/host-key" ] && [ -f "$from/host-key.pub" ] && set_host_key
    set_machine_id
    set_cloud_init
    [ -d "$from/networks" ] && set_networks
    [ -f "$from/time-zone" ] && set_time_zone
    [ -f "$from/locale" ] && set_locale
    [ -f "$from/keyboard" ] && put 644 "$from/keyboard" /etc/default/keyboard
    [ -f "$from/mark" ] && put 644 "$from/mark" /etc/nest-mark.json
    [ -f "$from/service" ] && put 644 "$from/service" ${OWN_SERVICE_PATH}
    [ -d "$from/call-in" ] && set_call_in
    [ -f "$from/files/list" ] && set_files
    sync
    if [ -f "$from/commands" ]; then
        (umask 022 && sh "$from/commands") || failed "a command that was to run once"
    fi
    sync
    # From here on nothing is applied again.
    rm -rf "$old"
    mv "$from" "$old" && sync
fi
rm -rf "$old"
for file in "$boot/cmdline.txt" "$boot/extlinux/extlinux.conf"; do
    [ -f "$file" ] || continue
    sed 's/ systemd\\.run[_a-z]*=[^ ]*//g' "$file" >"$file.new" && sync && mv -f "$file.new" "$file"
done
rm -f "$0"
echo "ended"
sync
`;
