/** Files that first-boot methods read, as they must be called. */
export const seedFiles = ['user-data', 'meta-data', 'network-config'] as const;
/** The one of them that says which instance the board is. */
export const INSTANCE_FILE = 'meta-data';
export const markerFiles = ['ssh', 'wpa_supplicant.conf', 'userconf.txt'] as const;

/** The script of the run-once method on the boot partition, and the folder of its settings. */
export const RUN_ONCE_SCRIPT = 'run-once.sh';
export const RUN_ONCE_FOLDER = 'run-once';
/** What the script leaves behind. */
export const RUN_ONCE_LOG = 'run-once.log';
