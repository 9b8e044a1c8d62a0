import { nearest } from '../spelling';

/**
 * Names of cloud-init's settings that headless boards are given (its JSON schema, version 22.4). A name that it does not
 * know it passes over in silence, so a misspelt one is only seen by its nearness to a known one.
 */

const words = (text: string): readonly string[] => text.trim().split(/\s+/);

const top = words(`
  apt bootcmd ca_certs chpasswd disable_root disable_root_opts disk_setup final_message fqdn fs_setup groups growpart
  hostname keyboard locale locale_configfile manage_etc_hosts manage_resolv_conf mounts ntp package_reboot_if_required
  package_update package_upgrade packages password phone_home power_state prefer_fqdn_over_hostname preserve_hostname
  random_seed resize_rootfs resolv_conf rsyslog runcmd ssh ssh_authorized_keys ssh_deletekeys ssh_genkeytypes
  ssh_import_id ssh_keys ssh_publish_hostkeys ssh_pwauth ssh_quiet_keygen swap timezone updates user users vendor_data
  wireguard write_files
`);
const user = words(`
  create_groups expiredate gecos groups hashed_passwd homedir inactive lock_passwd name no_create_home no_log_init
  no_user_group passwd plain_text_passwd primary_group selinux_user shell ssh_authorized_keys ssh_import_id
  ssh_redirect_user sudo system uid
`);
const file = words('append content defer encoding owner path permissions');

const known = { top, user, file };

/** The setting that a name was probably meant as; null when it is known, or like none. */
export const meantSetting = (name: string, place: keyof typeof known): string | null =>
  known[place].includes(name) ? null : nearest(name, known[place]);
