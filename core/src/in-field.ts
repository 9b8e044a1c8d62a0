/** Door to trips into the field: for the server, and the page of them. */
export * from './field/battery';
export * from './field/facts';
export * from './field/findings';
export * from './field/lists';
export * from './field/model';
export * from './field/rehearsal';
export * from './field/pages';
