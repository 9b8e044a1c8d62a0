#!/bin/bash
# make-debian.sh FOLDER: a Debian root of the release that runs here, with what boards have, from the mirror that this
# machine's own package manager is set to. Needs root; takes some minutes once.
set -euo pipefail
folder=$1
export DEBIAN_FRONTEND=noninteractive LC_ALL=C
. /etc/os-release
mirror=$(apt-get indextargets --format '$(REPO_URI) $(CODENAME)' 'Identifier: Packages' |
    awk -v release="$VERSION_CODENAME" '$2 == release { print $1; exit }')
packages=systemd,systemd-sysv,libpam-systemd,dbus,cloud-init,openssh-server,netplan.io,network-manager,wpasupplicant
packages+=,avahi-daemon,sudo,locales,console-setup,keyboard-configuration,iproute2,udev,python3,polkitd
packages+=,cloud-initramfs-growroot,python3-cffi-backend
mkdir -p "$folder/cache"
rm -rf "$folder/root"
debootstrap --variant=minbase --cache-dir="$folder/cache" --include="$packages" "$VERSION_CODENAME" \
    "$folder/root" "$mirror" >"$folder/log" 2>&1 || { tail -5 "$folder/log"; exit 3; }
rm -rf "$folder"/root/var/cache/apt/archives/*.deb "$folder"/root/etc/ssh/ssh_host_* "$folder"/root/usr/share/{doc,man}/*
: >"$folder/root/etc/machine-id"
touch "$folder/made"
