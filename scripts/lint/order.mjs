/** The order of folders, from the ground up; docs/architecture.md says why. */

export const coreOrder = [
  ['globals.d', 'units', 'listed', 'problems', 'guide'],
  ['bytes', 'plain-name'],
  ['wifi', 'access', 'disk', 'net'],
  ['boards', 'system'],
  ['plan'],
  ['images', 'power', 'vpn'],
  ['kit', 'forecast'],
  ['cards'],
  ['formats'],
  ['firstboot'],
  ['rules'],
  ['locate'],
  ['faults'],
  ['bringup'],
  ['move'],
  ['exposure'],
  ['handover'],
  ['progress'],
  ['api'],
  ['index', 'find', 'bring-up', 'moving'],
];

export const domains = [
  'settings',
  'networks',
  'boards',
  'methods',
  'images',
  'plans',
  'cards',
  'rounds',
  'finding',
  'bringup',
  'moves',
  'terminals',
  'passport',
  'exposure',
  'handover',
  'practice',
];

export const serverOrder = [
  ['platform'],
  ['settings', 'networks', 'boards', 'methods'],
  ['images'],
  ['plans'],
  ['cards'],
  ['rounds'],
  ['finding'],
  ['bringup'],
  ['moves'],
  ['terminals'],
  ['passport'],
  ['exposure'],
  ['handover'],
  ['practice'],
  ['compose', 'app'],
  ['run'],
  ['main'],
];

/** Inside the platform. */
export const platformOrder = [
  ['database', 'vault'],
  ['http'],
  ['events', 'sessions', 'idempotency'],
  ['log'],
  ['platform'],
  ['queue'],
  ['runs'],
];
