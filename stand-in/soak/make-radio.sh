#!/bin/bash
# make-radio.sh FOLDER: an emulated machine with simulated radios, made of Debian packages only: root.img, vmlinuz and
# initrd. The kernel is unpacked and not installed; of its modules only those go in that are needed. Needs root; takes
# some minutes once.
set -euo pipefail
folder=$(mkdir -p "$1" && cd "$1" && pwd)
root=$folder/root kernel=$folder/kernel
export DEBIAN_FRONTEND=noninteractive LC_ALL=C
. /etc/os-release
mirror=$(apt-get indextargets --format '$(REPO_URI) $(CODENAME)' 'Identifier: Packages' |
    awk -v release="$VERSION_CODENAME" '$2 == release { print $1; exit }')
image=$(apt-cache depends linux-image-amd64 | awk '/Depends: linux-image-[0-9]/ { print $2; exit }')
version=${image#linux-image-}
packages=busybox-static,hostapd,wpasupplicant,iw,iwd,wireless-regdb,network-manager,netplan.io,python3-yaml,dbus
packages+=,dnsmasq-base,iproute2,polkitd,systemd,systemd-sysv,libpam-systemd,udev,kmod,procps
mkdir -p "$folder/cache" "$kernel"
rm -rf "$root"
debootstrap --variant=minbase --cache-dir="$folder/cache" --include="$packages" "$VERSION_CODENAME" \
    "$root" "$mirror" >"$folder/log" 2>&1 || { tail -5 "$folder/log"; exit 3; }
rm -rf "$root"/usr/share/{doc,man,locale,info}/* "$root"/var/cache/apt/* "$root"/var/lib/apt/lists/*

(cd "$folder/cache" && ls "${image}"_*.deb >/dev/null 2>&1 || (cd "$folder/cache" && apt-get download -qq "$image"))
dpkg -x "$(ls "$folder/cache/${image}"_*.deb | head -1)" "$kernel"
cp "$kernel/boot/vmlinuz-$version" "$folder/vmlinuz"
depmod -b "$kernel" "$version"
# Modules in the order in which they need each other.
modules() {
    for module in "$@"; do
        modprobe -d "$kernel" -S "$version" -D "$module" | awk '/^insmod/ { print $2 }'
    done | awk '!seen[$0]++'
}
early=$(modules virtio_pci virtio_blk ext4 crc32c_generic)
# The last line is what iwd asks the kernel for.
for file in $early $(modules mac80211_hwsim 9p 9pnet_virtio veth ccm cmac gcm ctr tun \
    algif_hash algif_skcipher ecb cbc md5 hmac sha1_generic sha512_generic des_generic pkcs8_key_parser); do
    install -D -m 644 "$file" "$root${file#"$kernel"}"
done
cp "$kernel/lib/modules/$version"/modules.{builtin,order}* "$root/lib/modules/$version/"
depmod -b "$root" "$version"

printf '%s\n' 9pnet_virtio 9p mac80211_hwsim veth >"$root/etc/modules-load.d/radio.conf"
cat >"$root/etc/systemd/system/radio-work.service" <<'UNIT'
[Unit]
Description=Work that was handed in
After=systemd-modules-load.service systemd-udevd.service dbus.service
[Service]
Type=simple
Environment=HOME=/root LC_ALL=C.UTF-8
ExecStartPre=/bin/mkdir -p /share
ExecStartPre=/bin/mount -t 9p -o trans=virtio,version=9p2000.L,msize=262144 share /share
ExecStart=/bin/bash -c 'cd /share; ./work >>/share/out 2>>/share/said; echo $? >/share/code; sync; poweroff -f'
UNIT
mkdir -p "$root/etc/systemd/system/multi-user.target.wants"
ln -s ../radio-work.service "$root/etc/systemd/system/multi-user.target.wants/radio-work.service"
for unit in NetworkManager wpa_supplicant iwd hostapd dnsmasq systemd-networkd systemd-networkd-wait-online \
    NetworkManager-wait-online apt-daily.timer apt-daily-upgrade.timer dpkg-db-backup.timer e2scrub_all.timer \
    fstrim.timer getty@tty1 e2scrub_reap systemd-timesyncd; do
    rm -f "$root"/etc/systemd/system/*.wants/"${unit%.timer}".{service,timer} "$root/etc/systemd/system/dbus-$unit.service"
done
rm -f "$root"/etc/systemd/system/dbus-*.service "$root"/etc/systemd/system/*.wants/getty@tty1.service
: >"$root/etc/machine-id"
echo air >"$root/etc/hostname"
mke2fs -q -t ext4 -d "$root" "$folder/root.img.new" "$(($(du -sm "$root" | cut -f1) * 12 / 10 + 128))M"

# What finds the disk: a shell and the modules for it.
first=$folder/first
rm -rf "$first"
mkdir -p "$first"/{bin,m,r,dev,proc}
cp "$root/bin/busybox" "$first/bin/"
number=100
for file in $early; do cp "$file" "$first/m/$((++number)).ko"; done
printf '%s\n' '#!/bin/busybox sh' 'for f in /m/*.ko; do /bin/busybox insmod $f; done' \
    '/bin/busybox mount -t devtmpfs d /dev' 'while ! [ -b /dev/vda ]; do /bin/busybox usleep 50000; done' \
    '/bin/busybox mount -t ext4 /dev/vda /r' 'exec /bin/busybox switch_root /r /lib/systemd/systemd' >"$first/init"
chmod 755 "$first/init"
(cd "$first" && find . | cpio -o -H newc --quiet | gzip -1) >"$folder/initrd"
rm -rf "$first" "$kernel" "$root"
mv "$folder/root.img.new" "$folder/root.img"
