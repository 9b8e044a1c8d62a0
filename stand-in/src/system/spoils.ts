import type { SystemFault } from '@nest-mark/core/api';

/**
 * What goes wrong on a board that has started: each a line of shell that brings it about, and can be run again. Faults of
 * the line and of reboots lie with the board itself.
 */

// The package manager's lock is one of fcntl(2), which no shell can hold; the struct is that of 64-bit Linux.
const holdLock = `perl -e '
use Fcntl qw(F_SETLKW F_WRLCK);
open my $f, ">>", "/var/lib/dpkg/lock-frontend" or die;
fcntl($f, F_SETLKW, pack("s s x4 q q i x4", F_WRLCK, 0, 0, 0, 0)) or die;
sleep 4;
'`;

/** The repository's list, made anew of what is in it. */
const INDEX = `for f in *.deb; do
    dpkg-deb -f "$f"
    printf 'Filename: ./%s\\nSize: %s\\nSHA256: %s\\n\\n' "$f" "$(wc -c <"$f")" "$(sha256sum "$f" | cut -d' ' -f1)"
done >Packages.new && mv Packages.new Packages`;

/** Makes the last script of a package another one, in the repository and where it is half installed. */
const withPostinst = (does: string): string => `cd /srv/repository && rm -rf /srv/bad &&
dpkg-deb -R reed-tools_1.4_all.deb /srv/bad && printf '#!/bin/sh\\n${does}\\n' >/srv/bad/DEBIAN/postinst &&
chmod 755 /srv/bad/DEBIAN/postinst && dpkg-deb -Znone -b /srv/bad reed-tools_1.4_all.deb >/dev/null
[ -f /var/lib/dpkg/info/reed-tools.postinst ] && cp /srv/bad/DEBIAN/postinst /var/lib/dpkg/info/reed-tools.postinst
${INDEX}`;

export const spoils: Record<SystemFault, string> = {
  'lock-held': `printf '#!/bin/sh\\n%s\\n' "${holdLock.replaceAll('$', '\\$').replaceAll('"', '\\"')}" >/board/other-update; chmod 755 /board/other-update; systemd-run --unit=other-update /board/other-update`,
  'broken-download':
    'for f in /srv/repository/tide-tables_*; do k=/srv/kept-${f##*/}; [ -e "$k" ] || mv "$f" "$k"; : >"$f"; done',
  'bad-package': withPostinst('exit 3'),
  'slow-package': withPostinst('sleep 8'),
  'disk-full':
    '[ -f /board/disk-full ] || cp /board/root-free /board/disk-full; echo 20000000 >/board/root-free',
  'weak-supply': "echo 'hwmon hwmon1: Undervoltage detected!' >>/board/kernel.log",
  'service-failed': 'echo tide-gauge.service >/board/failed-units',
  'slow-clock': 'echo 7200 >/board/clock-slow',
  'more-accounts': "useradd -m -s /bin/bash demo 2>/dev/null; usermod -p '$6$reed$aB/cD.9' demo",
  // 0.0.0.0:5900 listens (proc(5)).
  'open-screen':
    'echo "   1: 00000000:170C 00000000:0000 0A 00000000:00000000 00:00000000 00000000 0 0 1 1" >>/proc/net/tcp',
  // Read before what the card brought along: of a setting the first one counts (sshd_config(5)).
  'open-password':
    'mkdir -p /etc/ssh/sshd_config.d && echo "PasswordAuthentication yes" >/etc/ssh/sshd_config.d/00-open.conf',
  'no-root': 'rm -f /etc/sudoers.d/nest-*',
  'never-returns': ':',
  'key-changed': ':',
  'slow-line': ':',
  'mangles-key': ': >/board/mangles-key',
};

/** Puts right what can be put right. */
export const mended = `[ -d /srv/bad ] && ( ${withPostinst('exit 0')} )
for f in /srv/kept-*; do [ -f "$f" ] && mv "$f" "/srv/repository/\${f#/srv/kept-}"; done; [ -f /board/disk-full ] && mv /board/disk-full /board/root-free; rm -f /board/clock-slow /board/mangles-key; : >/board/failed-units; sed -i /Undervoltage/d /board/kernel.log; sed -i /:170C/d /proc/net/tcp; rm -f /etc/ssh/sshd_config.d/00-open.conf; userdel demo 2>/dev/null; true`;
