/** The parts of a plan in the order of the work, with the path of each below the plan; the first has none. */
export const planParts = [
  { path: '', title: 'Devices' },
  { path: 'image', title: 'Image & board' },
  { path: 'access', title: 'Access' },
  { path: 'networks', title: 'Networks' },
  { path: 'system', title: 'System' },
  { path: 'power', title: 'Power' },
  { path: 'kit', title: 'Kit' },
  { path: 'time', title: 'Time' },
  { path: 'card-files', title: 'On the card' },
  { path: 'file', title: 'File' },
] as const;

export type PlanPart = (typeof planParts)[number]['path'];

/** In which part lie the places whose names begin so; all others lie with the devices. */
const partOfPlace: Readonly<Record<string, PlanPart>> = {
  imageId: 'image',
  boardProfileId: 'image',
  access: 'access',
  network: 'networks',
  networks: 'networks',
  net: 'networks',
  vpn: 'networks',
  country: 'networks',
  timeZone: 'system',
  locale: 'system',
  extras: 'system',
  power: 'power',
  kit: 'kit',
  bench: 'time',
};

/** In which part of the plan the control of a finding lies. */
export const planPartOf = (place: string): PlanPart => partOfPlace[place.split('.')[0] ?? ''] ?? '';

/** The same as a route below the batch. */
export function partOf(place: string): string[] {
  const part = planPartOf(place);
  return part === '' ? ['plan'] : ['plan', part];
}

/** Fields of the plan that the command line goes to by name. */
export const planFields: readonly (readonly [place: string, title: string])[] = [
  ['name', 'Name of the batch'],
  ['site', 'Where the devices will work'],
  ['imageId', 'Image of the batch'],
  ['boardProfileId', 'Board of the batch'],
  ['timeZone', 'Time zone'],
  ['locale', 'Locale'],
  ['country', 'Country where the boards will run'],
  ['access.userName', 'User'],
  ['access.keys', 'SSH public keys'],
  ['networks', 'Networks of the batch'],
  ['network.subnet', 'Subnet they will appear on'],
  ['vpn.wanted', 'VPN by which boards are reached from outside'],
  ['power.cable.metres', 'Cable'],
  ['kit.cardGB', 'Size of the cards'],
  ['bench.slots', 'Card slots of the bench'],
];
