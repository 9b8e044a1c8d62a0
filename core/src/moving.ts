/** Door to moving to another network: for the server, the station, and the page of moves. */
export * from './move/assign';
export { TAKE_OFF_REFUSED, type NetManager, type NewNetwork } from './move/board/commands';
export * from './move/board/look';
export * from './move/board/scripts';
export * from './move/board/take-off';
export * from './move/days';
export * from './move/findings';
export * from './move/instructions';
export * from './move/model';
export * from './move/ways';
