/**
 * Calling in: at the end of its first boot a board posts to the bench, once. Nothing of it is believed but where it came
 * from; that is looked at.
 */

/** Path under which boards call; the mark of the board's card follows. */
export const CALL_IN_PATH = '/call-in/';

/** Where the board with a mark posts to. */
export const callInAddress = ({ address, port }: { address: string; port: number }, mark: string): string =>
  `http://${address}:${String(port)}${CALL_IN_PATH}${mark}`;
