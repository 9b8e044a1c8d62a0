#!/bin/bash
# boot-debian.sh ROOT NAME [WORD…]: starts systemd in a root folder, in namespaces of its own without any network but
# loopback, with words as on the kernel's command line. Ends when the system goes off or restarts. Needs root.
set -u
root=$1 name=$2
shift 2
export root name words="$*"
exec env -i container=nest PATH=/usr/sbin:/usr/bin:/sbin:/bin root="$root" name="$name" words="$words" \
    unshare --fork --kill-child --pid --mount --net --uts --ipc bash -c '
mount --make-rprivate / && mount --bind "$root" "$root" && cd "$root" || exit 1
mount -t proc proc proc && mount -t sysfs sys sys
mount -t tmpfs -o mode=755 groups sys/fs/cgroup && mkdir sys/fs/cgroup/systemd
mount -t cgroup -o none,name=systemd cgroup sys/fs/cgroup/systemd || exit 1
mkdir -p "sys/fs/cgroup/systemd/$name" && echo $$ >"sys/fs/cgroup/systemd/$name/cgroup.procs"
umount sys/fs/cgroup/systemd
exec unshare --cgroup bash -c '\''
mount -t cgroup -o none,name=systemd cgroup sys/fs/cgroup/systemd
mount -t tmpfs -o mode=755 dev dev
for node in null zero full random urandom tty; do touch dev/$node; mount --bind /dev/$node dev/$node; done
# For a tunnel outside of the kernel, where this one has none.
[ ! -e /dev/net/tun ] || { mkdir dev/net; touch dev/net/tun; mount --bind /dev/net/tun dev/net/tun; }
mkdir dev/pts dev/shm && mount -t devpts -o newinstance,ptmxmode=0666 devpts dev/pts && ln -s pts/ptmx dev/ptmx
mount -t tmpfs run run && mount -t tmpfs tmp tmp
# The kernel started once only; each start of the system is told as a boot of its own (random(4)).
cat proc/sys/kernel/random/uuid >run/boot-id && mount --bind run/boot-id proc/sys/kernel/random/boot_id
ip link set lo up
mkdir -p old && pivot_root . old && umount -l /old
exec /lib/systemd/systemd --log-target=null --show-status=0 systemd.unified_cgroup_hierarchy=0 $words
'\'' </dev/null'
