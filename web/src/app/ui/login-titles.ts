import type { LoginWay } from '@nest-mark/core/api';

/** Ways in which the bench logs in to a board, as people read them. */
export const loginTitles: Record<LoginWay, string> = {
  'bench-key': 'the bench’s own key',
  agent: 'this computer’s SSH agent',
  password: 'the planned password',
};
