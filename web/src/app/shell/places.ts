/** Where in the plan the control of a finding lies, as a route below the batch. */
export function partOf(place: string): string[] {
  const [part = ''] = place.split('.');
  return part === 'power' || part === 'kit' ? ['plan', part] : part === 'bench' ? ['plan', 'time'] : ['plan'];
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
  ['power.cable.metres', 'Cable'],
  ['kit.cardGB', 'Size of the cards'],
  ['bench.slots', 'Card slots of the bench'],
];
