import { refuseMedium, type Medium } from '../src/index';

const card: Medium = {
  identity: { path: 'usb-1', size: 16e9, serial: 'x', content: 'c' },
  model: 'card',
  removable: true,
  readOnly: false,
  mounted: [],
  system: false,
  holds: '',
  caution: null,
  label: null,
};

describe('guards of a medium', () => {
  it.each([
    ['a fit card', {}, null],
    ['a disk that the computer runs from', { system: true }, 'system'],
    ['a medium in use', { mounted: ['/media/photos'] }, 'mounted'],
    ['a fixed disk', { removable: false }, 'fixed'],
    ['a locked card', { readOnly: true }, 'protected'],
    ['a backup disk of 2 TB', { identity: { ...card.identity, size: 2e12 } }, 'large'],
    ['a card one byte too small', { identity: { ...card.identity, size: (120 << 20) - 1 } }, 'small'],
    ['a card of just the size', { identity: { ...card.identity, size: 120 << 20 } }, null],
  ] as [string, Partial<Medium>, string | null][])('%s', (_name, change, code) => {
    expect(refuseMedium({ ...card, ...change }, 120 << 20)?.code ?? null).toBe(code);
  });

  it('lets an operator raise the largest size, but never for a system disk', () => {
    const disk = { ...card, identity: { ...card.identity, size: 2e12 } };
    expect(refuseMedium(disk, 1, 4e12)).toBeNull();
    expect(refuseMedium({ ...disk, system: true }, 1, 4e12)?.code).toBe('system');
  });
});
