/** Door to the air: what radios hear, and what a shelf takes from it. */
export * from './air/bss';
export * from './air/elements';
export * from './air/foreseen';
export * from './air/gather';
export * from './air/iw-scan';
export * from './air/look-alikes';
export * from './air/model';
export * from './air/nmcli-list';
export * from './air/security';
export * from './air/take';
export * from './air/trial';
export * from './formats/saved-profiles';
export * from './signal/adapter';
export * from './signal/board';
export * from './signal/model';
export * from './signal/spots';
export * from './signal/verdict';
