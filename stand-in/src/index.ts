export * from './board/login-service';
export * from './board/read-card';
export * from './lab';
export type { LabState } from './state';
