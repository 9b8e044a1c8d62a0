export { otherNetwork } from './air/place';
export * from './board/login-service';
export * from './board/read-card';
export * from './lab';
export * from './practice-error';
export type { LabState } from './state';
