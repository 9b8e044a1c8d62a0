import type { FirstBootSettings } from './settings';

/** How the main user becomes root. Without a password sudo could never be answered, so then it does not ask. */
export function rootRights({ sudo, passwordHash }: FirstBootSettings['user']): 'ask' | 'free' | 'none' {
  if (sudo === 'none') return 'none';
  return sudo === 'free' || passwordHash === null ? 'free' : 'ask';
}
