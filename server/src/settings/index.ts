/** What people set at a station. */
export type { Settings } from './domain';
export { SettingRepository } from './repository';
export { settingRoutes } from './routes';
