/** The shapes of messages between server, station, practice bench and browser, by domain. */
export * from './boards';
export * from './card-faults';
export * from './cards';
export * from './cases';
export * from './events';
export * from './air';
export * from './signal';
export * from './field';
export * from './finding';
export * from './bring-up';
export * from './terminals';
export * from './exposure';
export * from './handover';
export * from './image-facts';
export * from './images';
export * from './log';
export * from './methods';
export * from './moves';
export * from './networks';
export * from './passport';
export * from './plans';
export * from './practice';
export * from './problem';
export * from './rounds';
export * from './settings';
export * from './watches';
export * from '../cards/record';
export * from '../firstboot/sent-files';
export {
  BatterySchema,
  cellKinds,
  cellTitles,
  FieldPlanSchema,
  type Battery,
  type CellKind,
  type FieldPlan,
  type Purpose,
  type Rehearsal,
  TripCheckIdSchema,
  type TripCheck,
  type TripCheckId,
} from '../field/model';
export { MovePlanSchema, wayTitles, type MovePlan, type WayId } from '../move/model';
export * from '../problems';
