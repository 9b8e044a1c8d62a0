export * from './card/caution';
export * from './card/content-digest';
export * from './card/look';
export * from './clues/address-requests';
export * from './clues/call-in';
export * from './clues/list-file';
export * from './clues/multicast';
export * from './clues/multicast-packet';
export * from './clues/neighbours';
export * from './clues/places';
export * from './card/read-trial';
export * from './guards';
export * from './exposure/login-ways';
export * from './exposure/look-at-board';
export * from './exposure/speak';
export * from './image/base-image';
export * from './image/fetch-image';
export * from './image/file-source';
export * from './image/published-beside';
export * from './image/root-files';
export * from './image/shelve';
export * from './image/unpack';
export { addressName, OriginSchema, webAddress, type Origin } from './image/web-request';
export * from './linux/way';
export * from './linux/kernel-facts';
export * from './linux/linux-reader';
export * from './linux/direct-file';
export * from './linux/lsblk';
export * from './linux/neighbours';
export * from './net/sweep';
export * from './net/search';
export * from './net/search-thread';
export * from './net/ssh-host-key';
export * from './net/tcp-probe';
export { openPlain } from './plain-file';
export * from './ports';
export * from './reader-set';
export * from './capacity/check-capacity';
export * from './capacity/restore';
export * from './writer/block-pool';
export * from './writer/digest';
export * from './writer/gang';
export * from './writer/pause';
export type { CardOutcome, GangCard, Phase } from './writer/card-run';
export * from './bringup/board-work';
export * from './bringup/bring-up-board';
export * from './shell/shell';
export * from './shell/shell-error';
export * from './shell/terminal';
export * from './move/move-board';
export * from './move/take-off';
export { linuxRadio } from './air/linux-radio';
export {
  RadioError,
  type Radio,
  type RadioFault,
  type SavedProfiles,
  type TrialEnd,
} from './air/radio';
export { savedOn } from './air/saved';
