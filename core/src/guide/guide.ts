/** A step of the work: what a person does, and why in a sentence where that is not plain. */
export interface GuideStep {
  readonly do: string;
  readonly why?: string;
}

/** One part of the guide, in the order of the work. */
export interface GuidePart {
  readonly id: string;
  readonly title: string;
  /** The view where it is done, as a path below the batch; null for what is done at the bench. */
  readonly view: string | null;
  readonly steps: readonly GuideStep[];
}

/** From an unopened box to the handed-over board. Numbers without a source are common practice. */
export const guide: readonly GuidePart[] = [
  {
    id: 'practise',
    title: 'Practise first, if you like',
    view: 'practice',
    steps: [
      {
        do: 'Follow the line "Your turn" under the top bar. On the practice bench its button does what your hands would do.',
        why: 'The reader, the cards and the boards there are simulated, their bytes and logins are real: what you learn holds at the real bench.',
      },
      { do: 'Press F9 for the practice bench’s hands at any stage; ? lists all keys.' },
    ],
  },
  {
    id: 'box',
    title: 'Open the box',
    view: 'plan/kit',
    steps: [
      {
        do: 'Lay the boards out in rows as they shall lie for the whole work, and set rows and columns in the plan to match.',
        why: 'Every board then has a nest, and no card has to be guessed to its board.',
      },
      {
        do: 'Look for what is missing: a card, a supply, a cable, a case for each, and one adapter for the day a screen is needed.',
        why: 'Adapters are what people forget; the part Kit counts them.',
      },
      {
        do: 'Take supplies that give what the board asks for, with short, thick cables; never a computer’s USB port.',
        why: 'The drop in a thin cable makes boards restart. Keep to local rules for mains adapters.',
      },
    ],
  },
  {
    id: 'bench',
    title: 'Make the reader known',
    view: 'this-bench',
    steps: [
      {
        do: 'Unplug backup disks and whatever else is not a card. Then offer this computer’s readers.',
        why: 'Writing erases. Disks of the computer itself are never offered, but somebody’s disk in a socket could be.',
      },
      {
        do: 'Where a right is missing, run the command that the page shows, and look again.',
      },
      {
        do: 'Try one card: it is only read. Then write one card alone before you write four.',
        why: 'A reader that fails under load fails on the first card, not on the fourth.',
      },
    ],
  },
  {
    id: 'image',
    title: 'Get the image',
    view: 'images',
    steps: [
      {
        do: 'Put the image onto the shelf by its path, its web address, or by dropping it into the page, with the published SHA-256.',
        why: 'A download that was cut or changed is refused here, not on the board.',
      },
      {
        do: 'Take a minimal image, unless somebody will look at a screen; 64 bit for boards with 2 GB of memory or more.',
        why: 'It is written sooner and updated sooner, and has all that a board without a screen needs.',
      },
      {
        do: 'Read what the image can do, and how it takes its settings. Correct it if you know better.',
        why: 'What an image cannot do is told in the plan before a card is written.',
      },
    ],
  },
  {
    id: 'plan',
    title: 'Plan the batch',
    view: 'plan',
    steps: [
      { do: 'Devices: a name pattern and how many; each gets a mark that it keeps for life.' },
      {
        do: 'Access: a user and the public keys of those who will log in. Never a private key.',
        why: 'A key needs no password to be typed, told or forgotten.',
      },
      {
        do: 'Networks: take the network from the air, type its key or take it from what this computer has saved, and try the key. Without an adapter copy the name exactly as it is on the air, with its band. Set the country where the boards will run.',
        why: 'One wrong letter, a name that only the 5 GHz side carries, or a missing country are the commonest reasons why a board never appears. Radio rules are those of the country.',
      },
      {
        do: 'Signal: carry this computer to where the boards will be, and listen there for their network.',
        why: 'A network that is strong at the bench may not reach behind the tank; better to learn it before anything is screwed on.',
      },
      {
        do: 'System: time zone, language, and what else shall be there at the first boot.',
      },
      {
        do: 'Go through what was found, with F8 from field to field, until nothing stops the writing.',
        why: 'A finding here costs a minute; the same mistake on the board costs a boot, a search and a card.',
      },
    ],
  },
  {
    id: 'cards',
    title: 'Write the cards',
    view: 'cards',
    steps: [
      { do: 'Put cards into all slots, the right way up, without force.' },
      {
        do: 'Arm the round: read aloud what will be erased, and type the phrase.',
        why: 'The size and what lies on each medium stand there. A disk that is not a card looks different.',
      },
      {
        do: 'Leave a card in until it says "Verified, take it out".',
        why: 'It was read back octet by octet then, past the cache where the system allows.',
      },
      {
        do: 'If the computer offers to format a card that it cannot read: refuse.',
        why: 'It is right as it is; the computer does not know its file system.',
      },
      {
        do: 'Put each card into its board, or label it, before you take the next: the slot says which nest.',
      },
    ],
  },
  {
    id: 'power',
    title: 'Power the boards',
    view: 'boot',
    steps: [
      { do: 'Card in with the power off, then power. Note that you did: the waiting is counted from then.' },
      {
        do: 'Wait as long as is normal: the page says how long that is for this kind of board.',
        why: 'A first boot takes minutes. People give up too early, and cut the power while the card is written.',
      },
      {
        do: 'Take lights as weak evidence: a power light is on at once, an activity light flickers and calms down.',
      },
    ],
  },
  {
    id: 'find',
    title: 'Find them, and know which is which',
    view: 'boot',
    steps: [
      {
        do: 'Be on the same network as the boards, and listen: each is heard as it comes, and asked for its key.',
        why: 'Another network, a guest network or a VPN is the commonest reason why nothing is found. Listen and search only where it is yours, or where you may.',
      },
      {
        do: 'Where you cannot listen, search the subnet, paste the list of the router, or type an address that stands on a screen.',
        why: 'Boards on another network are not heard. What equipment has on its lists says where to look.',
      },
      {
        do: 'Where boards land on a network that you can hear nothing of, have them call: choose this computer’s address in the plan before their cards are written.',
        why: 'A call is made once, at the end of the first boot, and reaches across routers. It says where to look and proves nothing.',
      },
      {
        do: 'For boards whose image takes no key of ours: remember who is here, power one, and scan its label. The one that is new is it.',
        why: 'Two that are powered together cannot be told apart by what they say.',
      },
      {
        do: 'Believe "proved": the board signed with the key that was made for it here. Whatever else answers is a stranger.',
        why: 'A name or an address says nothing of which board it is.',
      },
    ],
  },
  {
    id: 'missing',
    title: 'One does not appear',
    view: 'boot',
    steps: [
      {
        do: 'Answer what is asked under "Why is it not there?": yes, no, or cannot say, one look at a time.',
        why: 'The look that settles most for its minutes comes first. Going round in circles is what costs the day.',
      },
      {
        do: 'Mend what it comes to, note that you did, and go on listening.',
        why: 'The board itself tells whether that was it. If not, say so, and the next look is asked.',
      },
      {
        do: 'To practise, begin a drill on the practice bench: it hides a fault, and you find it.',
      },
      {
        do: 'Put its card into a slot and check it: file, line, what is wrong, what to write instead.',
        why: 'A card check finds what people look for in circles: a hidden second extension, line ends of another system, a file on the wrong partition.',
      },
      {
        do: 'Write its card anew with other settings, or another card if its record says that this one fails.',
      },
    ],
  },
  {
    id: 'bring-up',
    title: 'Bring them up',
    view: 'bring-up',
    steps: [
      {
        do: 'Press "Bring up": every proved board is asked whether it is as planned and well, updated, restarted where it asks for that, and asked again.',
        why: 'Only a board that proves its key is logged in to. It may take an hour for an old image; a cut line or a restart of this program loses nothing.',
      },
      {
        do: 'Boards without a way to the internet, or many on a slow line: run a package cache on this computer and choose "Packages through this computer" before the cards are written.',
      },
      {
        do: 'Where a board needs a look, read what differs: mend it and look again, or say why it may stay so.',
      },
      {
        do: 'The bench’s own key comes off as the last step. Shut down here, or by hand, before you cut the power.',
        why: 'Whoever gets the board must not have to trust this bench for ever, and a card that is written when its power goes may be spoilt.',
      },
    ],
  },
  {
    id: 'hand-over',
    title: 'Hand over',
    view: 'hand-over',
    steps: [
      {
        do: 'Print labels for boards, cards and supplies; choose a colour for each role or device where they look alike.',
        why: 'A year later the mark on the label is what leads back to everything that is known of a board.',
      },
      {
        do: 'Look how exposed the boards are, and mend what is grave.',
        why: 'Open screens, accounts that came with the image, a login by password: whoever is on the same network finds them too.',
      },
      {
        do: 'Save the known hosts and the client configuration for whoever will log in, or merge them into a file of yours.',
        why: 'The first login then asks nothing, and a stranger is refused.',
      },
      {
        do: 'Boards that go elsewhere: plan a VPN under Plan, Networks before they are brought up, and put the file of From outside onto the hub.',
        why: 'A board behind somebody else’s router is reached through the tunnel that it opens itself; a port that is opened for it is found by everybody.',
      },
      {
        do: 'Give each password to one person: on a slip of paper, for a password manager, or sealed.',
      },
      {
        do: 'Shut boards down before you cut their power.',
        why: 'A card that is written at that moment may be spoilt.',
      },
      {
        do: 'Note them as handed over, and who took them over. Save the record. Press Enter on a device for its passport: everything that was done to it.',
      },
    ],
  },
  {
    id: 'move',
    title: 'Move to another network',
    view: 'move',
    steps: [
      {
        do: 'As soon as you hear of it: put the new network onto the shelf, plan the move, and read what is lost by waiting.',
        why: 'While the old network lives, everything is done from your chair. After its last day each board wants a cable, a screen or its card.',
      },
      {
        do: 'Let the boards go over: one first, then in groups. A session that is cut off then is expected.',
        why: 'Each tries its way back before, and is back on the old network by itself unless it proves its key on the new one.',
      },
      {
        do: 'When all are over and nobody misses anything, take the old network off them, and out of the plan.',
      },
    ],
  },
  {
    id: 'field',
    title: 'Into the field',
    view: 'field',
    steps: [
      {
        do: 'Put the phone’s hotspot onto the shelf, and into the plan before the cards are written.',
        why: 'It does the router’s work there. Its setting for 2.4 GHz is what all boards hear (common practice).',
      },
      {
        do: 'Rehearse at home, with the very phone and the very laptop: hotspot on, home network off, boards on, all proved.',
        why: 'What is wrong shows where the tools are: no room for all, a phone that falls asleep, clients that are kept apart.',
      },
      {
        do: 'Reckon the batteries with the coldest night and something kept back. Never charge frozen cells.',
      },
      {
        do: 'Take the bundle along, and tick off both lists. On site: one board first, and write each visit down.',
      },
    ],
  },
];
