/** Files that first-boot methods read, as they must be called. */
export const seedFiles = ['user-data', 'meta-data', 'network-config'] as const;
export const markerFiles = ['ssh', 'wpa_supplicant.conf', 'userconf.txt'] as const;
