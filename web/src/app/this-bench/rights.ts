/** What gives whoever sits at this computer its removable disks, and no others (udev, systemd's uaccess). */
export const rightsCommands = [
  `echo 'SUBSYSTEM=="block", ENV{DEVTYPE}=="disk", ATTR{removable}=="1", TAG+="uaccess"' | sudo tee /etc/udev/rules.d/72-card-readers.rules`,
  'sudo udevadm control --reload',
  'sudo udevadm trigger --subsystem-match=block',
] as const;

/** Where nobody sits at it, as over a remote login: gives all disks of the computer, so only where that is right. */
export const groupCommand = 'sudo usermod -aG disk "$USER"';
