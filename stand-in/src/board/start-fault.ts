import type { BoardFault } from '../drill/state';

/** Why a board with a fault never starts its system; null for one that does. */
export function startFault(fault: BoardFault | null): string | null {
  switch (fault) {
    case 'not-seated':
      return 'its card does not sit right, so it finds nothing to start from';
    case 'weak-supply':
      return 'its supply is too weak: it starts again and again';
    case 'other-width':
      return 'its processor does not run a system of this width';
    case 'board-broken':
      return 'it does not start';
    default:
      return null;
  }
}
