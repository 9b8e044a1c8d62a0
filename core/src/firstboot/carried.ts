/** Things that a plan can say and a first-boot method can carry or not, in the words of findings. */
export const carriedTitles = {
  hostName: 'the host name',
  user: 'the user',
  password: 'the user’s password',
  passwordOff: 'switching login by password off',
  keys: 'SSH keys',
  hostKey: 'the board’s own host key',
  others: 'further users',
  groups: 'groups of the user',
  sudo: 'what the user may do as root',
  networks: 'networks',
  wpa3: 'a network with WPA3 only',
  wep: 'a network with WEP',
  octets: 'a network name that is not UTF-8',
  priority: 'which network comes first',
  country: 'the country',
  timeZone: 'the time zone',
  locale: 'the locale',
  keyboard: 'the keyboard',
  wired: 'a fixed wired address',
  refresh: 'refreshing packages',
  packages: 'packages to install',
  boardFiles: 'files for the running system',
  commands: 'commands that run once',
  callIn: 'calling in once it is up',
} as const;

export type Carried = keyof typeof carriedTitles;

/** All that there is, but for some. */
export const allBut = (...left: readonly Carried[]): ReadonlySet<Carried> =>
  new Set((Object.keys(carriedTitles) as Carried[]).filter((name) => !left.includes(name)));
