/** What the start script loads: the server, and the errors that it explains. */
export { DatabaseError } from './platform/database/connect';
export { startServer, type RunningServer, type ServerOptions } from './run';
export { VaultError } from './platform/vault/seal';
