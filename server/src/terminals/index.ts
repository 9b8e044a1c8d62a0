/** Terminals to proved boards, where whoever runs the station lets people open them. */
export type { Terminals } from './domain';
export { OpenTerminals } from './open-terminals';
export { TerminalRepository } from './repository';
export { terminalRoutes } from './routes';
export { serveTerminals } from './upgrade';
