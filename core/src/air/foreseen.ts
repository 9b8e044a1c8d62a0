import type { WifiSecurity } from '../wifi/network';
import { announcedTitles, type HeardNetwork } from './model';
import { answersTo, securitiesOf } from './take';

/**
 * Why joining a network cannot end well, by what it announces; null where it has to be tried. A supplicant says of another
 * security only that nobody of that name was found (seen with wpa_supplicant 2.10), so it is told from the air before.
 */
export function otherSecurity(security: WifiSecurity, heard: HeardNetwork | undefined): string | null {
  if (!heard || securitiesOf(heard).some((one) => answersTo(security, one))) return null;
  const said = securitiesOf(heard).map((one) => announcedTitles[one]);
  return `It announces ${said.join(' and ')}. Take it from the air anew, or set its security by hand.`;
}
