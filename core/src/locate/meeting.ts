import { listed } from '../listed';
import { addressNumber, inSubnet, subnetFault, subnetHostCount } from '../net/subnet';

/** A network that this computer is on. */
export interface OwnPlace {
  name: string;
  address: string;
  /** In CIDR form. */
  subnet: string;
  wireless: boolean;
}

/** Whether this computer and the boards can meet, in a sentence. */
export interface Meeting {
  /** `yes`, `no`, or `open` where the plan does not say where the boards appear. */
  meet: 'yes' | 'no' | 'open';
  text: string;
  /** What else is worth a look. */
  notes: string[];
}

/** Addresses that a system gives itself when nobody gives it one (RFC 3927 section 2.1). */
const SELF_GIVEN = '169.254.0.0/16';

const by = ({ wireless }: OwnPlace): string => (wireless ? 'by Wi-Fi' : 'by cable');

const overlap = (a: string, b: string): boolean => {
  const first = (subnet: string): string => subnet.split('/')[0] ?? '';
  return inSubnet(first(a), b) || inSubnet(first(b), a);
};

function notesOn(places: readonly OwnPlace[]): string[] {
  const notes: string[] = [];
  for (const place of places)
    if (inSubnet(place.address, SELF_GIVEN))
      notes.push(
        `On ${place.name} this computer gave itself ${place.address}: nobody gives out addresses there, or the cable leads to a board alone.`,
      );
  const twice = places.find((place, at) =>
    places.slice(0, at).some((other) => other.subnet === place.subnet),
  );
  if (twice)
    notes.push(
      `This computer is on ${twice.subnet} twice. Answers may come in on the other side; switch one of the two off.`,
    );
  const wide = places.find(({ subnet }) => subnetFault(subnet) === 'wide');
  if (wide)
    notes.push(
      `${wide.subnet} on ${wide.name} is larger than what is searched address by address: listen there instead.`,
    );
  return notes;
}

/** A system on the boards' network that sends elsewhere what is for them: as a rule a VPN that took the route. */
function wayNotes(
  places: readonly OwnPlace[],
  subnet: string,
  way: { interface: string; gateway: string | null } | null,
): string[] {
  const shared = places.filter((place) => subnet !== '' && overlap(place.subnet, subnet));
  // Stand-ins are on loopback, which no VPN takes.
  if (
    !way ||
    way.interface === 'lo' ||
    shared.length === 0 ||
    shared.some(({ name }) => name === way.interface)
  )
    return [];
  return [
    `This computer is on ${subnet}, but sends what is for it out by ${way.interface}: a VPN has probably taken the way. End it, or have it leave this network alone; otherwise boards are heard and not reached.`,
  ];
}

/**
 * Whether boards that are to appear on a subnet can be heard and reached from where this computer is. Told from numbers
 * alone: two networks with the same numbers at two places look alike.
 * @param subnet where the plan expects the boards; empty where it does not say
 * @param way how this computer would send to that subnet; null where that is not known
 */
export function meetingOf(
  places: readonly OwnPlace[],
  subnet: string,
  way: { interface: string; gateway: string | null } | null = null,
): Meeting {
  const notes = [...notesOn(places), ...wayNotes(places, subnet, way)];
  if (places.length === 0)
    return {
      meet: 'no',
      text: 'This computer is on no network. Connect it to the one of the boards, by cable or Wi-Fi.',
      notes,
    };
  const own = listed(places.map((place) => `${place.subnet} (${place.name}, ${by(place)})`));
  if (subnet === '' || addressNumber(subnet.split('/')[0] ?? '') === 0)
    return {
      meet: 'open',
      text: `This computer is on ${own}. The plan does not say where the boards appear; those on the same network are heard.`,
      notes,
    };
  const shared = places.find((place) => overlap(place.subnet, subnet));
  if (!shared)
    return {
      meet: 'no',
      text: `The boards are to appear on ${subnet}; this computer is on ${own}. From here they cannot be heard: join their network, or paste its list. A search works only if a router leads there.`,
      notes,
    };
  return {
    meet: 'yes',
    text: `This computer (${shared.address}, ${by(shared)}) and the boards share ${subnetHostCount(shared.subnet) < subnetHostCount(subnet) ? shared.subnet : subnet}. If nobody is heard all the same: guest networks and some access points keep their clients apart.`,
    notes,
  };
}
