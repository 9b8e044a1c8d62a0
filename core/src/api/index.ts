export * from './card-faults';
export * from './card-files';
export * from './cards';
/** The shapes of messages between server, station, practice bench and browser. */
export * from './checks';
export * from './practice';
export * from './shelves';
export * from './work';
export * from './uploads';
