import { sha512Crypt } from '@nest-mark/core';
import { hashPassword } from '../src/cards/hash-password';

describe('password hashes', () => {
  it.each(['low tide at seven', 'smörgås & 🦪', '$HOME `id` \'"', ' spaces ', 'x'.repeat(200), 'two\nlines'])(
    'of %j are what our own implementation gives for the same salt',
    async (password) => {
      const hash = await hashPassword(password);
      const [, kind, salt = ''] = hash.split('$');
      expect([kind, salt.length]).toEqual(['6', 16]);
      expect(hash).toBe(sha512Crypt(password, salt));
      expect(await hashPassword(password)).not.toBe(hash);
    },
  );

  it('are made without openssl as well', async () => {
    const path = process.env['PATH'];
    process.env['PATH'] = '/nowhere';
    try {
      const hash = await hashPassword('low tide at seven');
      expect(hash).toBe(sha512Crypt('low tide at seven', hash.split('$')[2] ?? ''));
    } finally {
      process.env['PATH'] = path;
    }
  });

  it('are made while other work goes on', async () => {
    let turns = 0;
    const timer = setInterval(() => turns++, 1);
    await Promise.all(Array.from({ length: 6 }, () => hashPassword('low tide at seven')));
    clearInterval(timer);
    expect(turns).toBeGreaterThan(2);
  });
});
