import type { Air } from '@nest-mark/core/api';
import { RadioError, type SavedPlace, type SavedProfiles } from '@nest-mark/station/ports';

const hexOf = (text: string): string => Buffer.from(text).toString('hex');

/** What the practice bench's computer has saved: the bench's network with its key, and one whose key it does not have. */
export const savedOnPractice = (air: () => Air): SavedProfiles => {
  const all = (): { profile: SavedPlace; key: string }[] => {
    const { ssid, passphrase, hidden } = air();
    const profile = (name: string, more: Partial<SavedPlace>): SavedPlace => ({
      id: `practice ${name}`,
      by: 'practice',
      ssidHex: hexOf(name),
      hidden: false,
      security: 'wpa2-psk',
      keyElsewhere: false,
      hasKey: true,
      ...more,
    });
    return [
      { profile: profile(ssid, { hidden }), key: passphrase },
      {
        profile: profile('Ferry House', { security: 'wpa3-sae', keyElsewhere: true, hasKey: false }),
        key: '',
      },
      { profile: profile('Ferry House staff', { security: null, hasKey: false }), key: '' },
    ];
  };
  return {
    list: () => Promise.resolve({ profiles: all().map(({ profile }) => profile), problem: '' }),
    take: (id) => {
      const one = all().find(({ profile }) => profile.id === id);
      return one
        ? Promise.resolve(one)
        : Promise.reject(new RadioError('gone', 'This computer has no such profile any more.'));
    },
  };
};
