/** Door to finding boards by clues: for the server, the station, and the pages that need it. */
export * from './locate/assign';
export * from './locate/clue';
export * from './locate/evidence';
export * from './locate/hosts';
export * from './locate/meeting';
export * from './locate/tables/cells';
export * from './locate/tables/read-table';
export * from './locate/told';
export * from './locate/who';
export * from './net/address-request';
export * from './net/hardware-address';
export * from './net/renamed';
