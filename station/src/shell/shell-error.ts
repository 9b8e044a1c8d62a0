/**
 * Why there is no shell. `other-key`: what answers there is not the board, or its key was changed. `no-login`: it is the
 * board, and it lets us in by nothing that we have. `away`: nobody answers. `lost`: it broke off. `useless`: we are let
 * in and get no shell.
 */
export type ShellFault =
  | 'away'
  | 'other-key'
  | 'no-key'
  | 'no-login'
  | 'agent'
  | 'useless'
  | 'lost'
  | 'stopped';

export class ShellError extends Error {
  override readonly name = 'ShellError';
  constructor(
    readonly fault: ShellFault,
    message: string,
  ) {
    super(message);
  }
}
