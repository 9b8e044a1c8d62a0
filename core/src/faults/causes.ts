import type { CauseId, MendPlace, Reach } from './model';

/** A cause as people read it. */
export interface Cause {
  /** After "It is probably this: ". */
  title: string;
  reach: Reach;
  /**
   * Of a hundred boards that did not appear, so many for this reason. Common practice; each bench learns its own in
   * time.
   */
  odds: number;
  /** What mends it. */
  mend: string;
  place: MendPlace;
  /** Whether it can only be where a board joins by radio. */
  radio: boolean;
}

const cause = (
  title: string,
  reach: Reach,
  odds: number,
  place: MendPlace,
  mend: string,
  radio = false,
): Cause => ({ title, reach, odds, mend, place, radio });

export const causes: Readonly<Record<CauseId, Cause>> = {
  'not-powered': cause(
    'it has no power',
    'board',
    8,
    'boot',
    'Plug its supply in, and switch on the socket and the switch on the cable. Then note it as powered.',
  ),
  'not-seated': cause(
    'its card does not sit right',
    'board',
    6,
    'boot',
    'Cut its power, push the card in until it stops, the contacts towards the board, and power it again.',
  ),
  'weak-supply': cause(
    'its supply is too weak, or its cable too long or thin',
    'board',
    6,
    'power',
    'Give it the supply that its board asks for, by a short, thick cable; never a computer’s USB port. Keep to local rules for mains adapters.',
  ),
  'still-booting': cause(
    'it is still starting for the first time',
    'board',
    10,
    'boot',
    'Leave it alone until its light calms down: cutting the power now can spoil its card. Go on listening.',
  ),
  elsewhere: cause(
    'this computer is on another network than the boards',
    'bench',
    12,
    'boot',
    'Connect this computer to the network that the boards join, or plug it into the same router.',
  ),
  'network-off': cause(
    'the network is not on the air where the board is',
    'network',
    4,
    'networks',
    'Switch the access point on, or bring the board nearer to it.',
    true,
  ),
  'other-name': cause(
    'the network is called otherwise than in the plan',
    'network',
    8,
    'networks',
    'Write its name on the shelf of networks letter for letter, then write the cards anew.',
    true,
  ),
  'other-key': cause(
    'the network’s key in the plan is wrong',
    'network',
    12,
    'networks',
    'Type its key anew on the shelf of networks, then write the cards anew.',
    true,
  ),
  'other-band': cause(
    'the network is not sent on a band that the board hears',
    'network',
    6,
    'networks',
    'Switch its 2.4 GHz band on, under the same name, or choose another network for these boards.',
    true,
  ),
  'other-country': cause(
    'the board’s radio is set to another country than the access point',
    'network',
    4,
    'networks',
    'Set the country in which the boards are, in the plan and on the access point, then write the cards anew. Local radio rules apply.',
    true,
  ),
  hidden: cause(
    'the network hides its name, and the plan does not say so',
    'network',
    3,
    'networks',
    'Say on the shelf of networks that it is hidden, or let the access point show its name; then write the cards anew.',
    true,
  ),
  'no-address': cause(
    'nobody gives it an address: the list of addresses is used up, or does not serve it',
    'network',
    3,
    'networks',
    'Make the router’s list of addresses longer, or let old ones go; then power the board again.',
  ),
  'kept-apart': cause(
    'the access point keeps its clients apart',
    'network',
    4,
    'networks',
    'Switch that off on the access point (isolation, guest network), or join this computer by cable.',
    true,
  ),
  'other-width': cause(
    'its image is for a wider processor than the board has',
    'image',
    3,
    'image',
    'Choose an image of the board’s width and write the card anew.',
  ),
  'card-spoilt': cause(
    'a file on its card was changed or renamed after writing',
    'board',
    6,
    'card-check',
    'Put its card into a slot, let card check mend what it finds, or write it anew.',
  ),
  'other-card': cause(
    'another card is in it than planned, or an older one of the same name',
    'board',
    3,
    'cards',
    'Cut its power, read the label on its card, and put the right one in.',
  ),
  'copied-card': cause(
    'its card is a copy of another board’s',
    'board',
    2,
    'cards',
    'Write its own card again, and use it in this board only.',
  ),
  'login-off': cause(
    'it is on the network, and its login service does not run',
    'board',
    3,
    'card-check',
    'Put its card into a slot, let card check look why, or write it anew.',
  ),
  'board-broken': cause(
    'the board itself does not start',
    'board',
    2,
    'cards',
    'Put its card into another board of the same kind, and keep this one apart.',
  ),
  unknown: cause(
    'something that is not on this list',
    'board',
    4,
    'cards',
    'Write its card anew, and try it in another board of the same kind.',
  ),
};
