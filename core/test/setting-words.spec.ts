import { emptyPlan, settingWords, type Plan } from '../src';

const plan: Plan = {
  ...emptyPlan('Tank monitors'),
  imageId: 'image-1',
  boardProfileId: 'full',
  access: { ...emptyPlan('').access, userName: 'keeper', keys: 'ssh-ed25519 AAAA a\n\nssh-ed25519 BBBB b\n' },
  networks: [
    { networkId: 'yard', priority: 10 },
    { networkId: 'hall', priority: 20 },
  ],
  country: 'DK',
  timeZone: 'Europe/Copenhagen',
  locale: '',
};
const names = {
  board: (id: string) => ({ full: 'Full-size', small: 'Compact' })[id],
  image: (id: string) => ({ 'image-1': 'Practice OS 1' })[id],
  network: (id: string) => ({ yard: 'Yard', hall: 'Hatchery hall' })[id],
};

describe('settings in words', () => {
  it('are those of the batch, each with its title', () => {
    const words = settingWords(plan, { overrides: {} }, names);
    expect(words.map(({ title, value }) => `${title}: ${value}`)).toEqual([
      'board: Full-size',
      'image: Practice OS 1',
      'user: keeper',
      'keys: 2 public keys',
      'login by password: not allowed',
      'networks: Hatchery hall, Yard',
      'country: DK',
      'time zone: Europe/Copenhagen',
      'locale: as the image has it',
      'wired address: from an address server',
    ]);
    expect(words.some(({ own }) => own)).toBe(false);
  });

  it('tell what is the device’s own, and what the batch says in its place', () => {
    const overrides = { boardProfileId: 'small', passwordLogin: true, wiredAddress: '192.168.40.21/24' };
    const own = settingWords(plan, { overrides }, names).filter((word) => word.own);
    expect(own.map(({ name, value, batch }) => [name, value, batch])).toEqual([
      ['boardProfileId', 'Compact', 'Full-size'],
      ['passwordLogin', 'allowed', 'not allowed'],
      ['wiredAddress', '192.168.40.21/24', 'from an address server'],
    ]);
  });

  it('say so where something is missing or gone from its shelf', () => {
    const bare = settingWords(
      { ...emptyPlan(''), boardProfileId: 'gone', networks: [{ networkId: 'gone', priority: 1 }] },
      { overrides: {} },
      names,
    );
    const value = (name: string) => bare.find((word) => word.name === name)?.value;
    expect(['boardProfileId', 'networks', 'imageId', 'userName', 'keys'].map(value)).toEqual([
      'taken off the shelf',
      'taken off the shelf',
      'none yet',
      'none yet',
      'none yet',
    ]);
  });
});
