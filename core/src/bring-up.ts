/** Door to bringing boards up: for the server, the station, and the page of that stage. */
export * from './bringup/ask';
export * from './bringup/expected';
export * from './bringup/job';
export * from './bringup/model';
export { stepOf } from './bringup/own-step';
export * from './bringup/readers';
export * from './formats/shell/word';
export { readBootConfig, writeBootConfig } from './bringup/steps/boot-lines';
export * from './bringup/steps/index';
export { keyOffCommand } from './bringup/steps/key-off';
export { placeVpnFile } from './bringup/steps/vpn';
export { encryptingScreens, SCREEN_WITHOUT_PASSWORD, screensOf } from './bringup/steps/remote-screen';
export { BOUND_SCREEN } from './bringup/steps/screen-set-up';
export * from './exposure/inside';
export * from './exposure/judge';
export * from './exposure/ports';
