/** Door to moving to another network: for the server, the station, and the page of moves. */
export * from './move/assign';
export * from './move/days';
export * from './move/findings';
export * from './move/instructions';
export * from './move/model';
export * from './move/on-board';
export * from './move/take-off';
export * from './move/ways';
