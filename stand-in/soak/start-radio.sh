#!/bin/bash
# start-radio.sh FOLDER SHARE: starts the emulated machine; it runs SHARE/work as root, writes what that prints to
# SHARE/out and its code to SHARE/code, and goes off. It has no network but its own radios.
set -u
folder=$1 share=$2
rm -f "$share/out" "$share/code" "$share/said"
exec qemu-system-x86_64 -name radio -M q35 -accel tcg,thread=multi,tb-size=128 -cpu max -smp 2 -m ${MEMORY:-640} \
    -display none -monitor none -nic none -kernel "$folder/vmlinuz" -initrd "$folder/initrd" \
    -append "console=ttyS0 quiet loglevel=3 mitigations=off audit=0 apparmor=0 net.ifnames=0 systemd.show_status=0 mac80211_hwsim.radios=${RADIOS:-5} ${WORDS:-}" \
    -serial "file:$share/console" -drive "file=$folder/root.img,format=raw,if=virtio,snapshot=on,cache=unsafe" \
    -device virtio-rng-pci -fsdev "local,id=s,path=$share,security_model=none" \
    -device virtio-9p-pci,fsdev=s,mount_tag=share
