/** The shapes of messages between server, station, practice bench and browser. */
export * from './card-faults';
export * from './card-files';
export * from './cards';
export * from './checks';
export * from './practice';
export * from './shelves';
export * from './uploads';
export * from './work';
