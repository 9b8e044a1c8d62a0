import * as z from 'zod';

/** Where a clue comes from. */
export const ClueSourceSchema = z.enum([
  /** A connection to each address of a subnet. */
  'sweep',
  /** Multicast DNS: what hosts announce of themselves, and what they answer (RFC 6762). */
  'multicast',
  /** Broadcasts with which hosts ask for an address (RFC 2131). */
  'address-request',
  /** This computer's own table of neighbours. */
  'neighbours',
  /** Such a list that lies on this computer, read whenever it changes. */
  'list-file',
  /** What a board posts once, at the end of its first boot. */
  'call-in',
  /** A list of the network's own equipment, pasted or dropped. */
  'table',
  /** Typed, or read off a screen. */
  'hand',
]);
export type ClueSource = z.infer<typeof ClueSourceSchema>;

/** Sources in words. */
export const clueTitles: Record<ClueSource, string> = {
  sweep: 'search',
  multicast: 'announcements',
  'address-request': 'requests for addresses',
  neighbours: 'neighbours',
  'list-file': 'a list on this computer',
  'call-in': 'calls of boards',
  table: 'a list',
  hand: 'typed',
};

/** Sources that listen until they are stopped. */
export const ListeningSourceSchema = ClueSourceSchema.extract([
  'multicast',
  'address-request',
  'neighbours',
  'call-in',
  'list-file',
]);
export type ListeningSource = z.infer<typeof ListeningSourceSchema>;

/** Whether a source listens on networks that a person names; the others have a place of their own. */
export const listensOnNetworks = (source: ListeningSource): boolean =>
  source !== 'call-in' && source !== 'list-file';

/** The longest text that is kept of what a host says of itself. */
export const SAID_LIMIT = 255;

/**
 * Something that says where a board may be, or who it may be. None of them proves anything: all of them can be made up
 * by anybody on the network. Times are milliseconds since 1970.
 */
export const ClueSchema = z.object({
  source: ClueSourceSchema,
  at: z.number(),
  /** IPv4, or IPv6 with its zone where it is link-local; null for a host that has none yet. */
  address: z.string().max(64).nullable(),
  hardwareAddress: z.string().max(17).nullable(),
  /** A host name without its domain. */
  name: z.string().max(SAID_LIMIT).nullable(),
  /** A mark that stands on a card. */
  mark: z.string().max(8).nullable(),
  /** What it means: the host is there, asks for an address, or takes its leave. */
  kind: z.enum(['here', 'asks', 'leaves']),
});
export type Clue = z.infer<typeof ClueSchema>;

/** A clue that was heard, perhaps again and again. */
export interface HeardClue extends Clue {
  /** When it was heard first; `at` is the last time. */
  since: number;
  times: number;
}

/** Whether two clues say the same. */
export const clueKey = ({ source, address, hardwareAddress, name, mark, kind }: Omit<Clue, 'at'>): string =>
  JSON.stringify([source, address, hardwareAddress, name, mark, kind]);
