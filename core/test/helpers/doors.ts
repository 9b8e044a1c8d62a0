/**
 * All doors of the core at once. Nobody imports it: the compiler refuses a name that means one thing behind one door and
 * another thing behind the next.
 */
export * from '../../src/index';
export * from '../../src/bring-up';
export * from '../../src/find';
export * from '../../src/in-air';
export * from '../../src/in-field';
export * from '../../src/moving';
